import { useDebouncedValue } from '@mantine/hooks';
import { useEffect, useRef } from 'react';

import { api, body } from '../api/client';
import { type Light, useChange, useLights, useProject } from '../api/hooks';
import type { LightMix } from './useLightMix';

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
      api.PUT('/api/v1/projects/{slug}/lights', {
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
export function useSavedStops({ stops, forget }: LightMix) {
  const { mutate } = useSaveLights();
  const [settled] = useDebouncedValue(JSON.stringify(stops), SETTLED);
  const done = useRef(forget);
  useEffect(() => {
    done.current = forget;
  });
  useEffect(() => {
    const tried = JSON.parse(settled) as Record<string, number>;
    const changes = Object.entries(tried).map(([name, value]) => [name, { stops: value }] as const);
    if (changes.length > 0) mutate(Object.fromEntries(changes), { onSuccess: () => done.current(tried) });
  }, [settled, mutate]);
}
