import { useDebouncedValue } from '@mantine/hooks';
import { useEffect } from 'react';

import { api, body } from '../api/client';
import { type Light, useChange, useLights, useProject } from '../api/hooks';

/** The light as the server takes it: without what follows from it. */
const told = ({ name, colour, swatch, intensity, stops, muted }: Light) => ({
  name,
  colour,
  swatch,
  intensity,
  stops,
  muted,
});

/** Save changes of lights, by name. */
export function useSaveLights() {
  const project = useProject();
  const lights = useLights();
  return useChange((slug, changes: Record<string, Partial<Light>>) =>
    body(
      api.PUT('/api/projects/{slug}/lights', {
        params: { path: { slug } },
        body: {
          based_on: project.data?.revision.number ?? 0,
          lights: (lights.data ?? []).map((light) => told({ ...light, ...changes[light.name] })),
        },
      }),
    ),
  );
}

const SETTLED = 600;

/** Save stops once nobody has moved them for a moment, all together: a drag is one revision. */
export function useSavedStops(stops: Record<string, number>) {
  const { mutate } = useSaveLights();
  const [settled] = useDebouncedValue(JSON.stringify(stops), SETTLED);
  useEffect(() => {
    const changes = Object.entries(JSON.parse(settled) as Record<string, number>);
    if (changes.length > 0) mutate(Object.fromEntries(changes.map(([name, value]) => [name, { stops: value }])));
  }, [settled, mutate]);
}
