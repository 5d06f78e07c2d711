import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';

import { api, body } from '../api/client';
import { type Render, useProject, useSlug, type ViewChoice } from '../api/hooks';
import { Drawer, type Light, NotDrawn } from './drawer';

const LARGEST = 4096;

/** The one drawer of the page, made when first asked for; why there is none where there is none. */
let drawer: Drawer | NotDrawn | undefined;
const listeners = new Set<() => void>();
const tellAll = () => listeners.forEach((tell) => tell());

function theDrawer(): Drawer | NotDrawn {
  if (drawer === undefined) {
    try {
      drawer = new Drawer(tellAll, tellAll);
    } catch (error) {
      drawer = error instanceof NotDrawn ? error : new NotDrawn('WebGL2 could not be started.');
    }
  }
  return drawer;
}

/** The drawer, or why pictures come from the server; asked again when the graphics context is lost or restored. */
export function useDrawer(): Drawer | NotDrawn {
  const [, setCount] = useState(0);
  useEffect(() => {
    const tell = () => setCount((count) => count + 1);
    listeners.add(tell);
    return () => void listeners.delete(tell);
  }, []);
  const found = theDrawer();
  if (found instanceof Drawer && found.lost) return new NotDrawn('The graphics context was lost.');
  return found;
}

/** A render as light in the working space. */
export function useLight(render: Render | undefined) {
  const slug = useSlug();
  const project = useProject();
  const working = project.data?.setup.working_space;
  const key = `${render?.image}-${render?.space}-${working}-${project.data?.revision.number}`;
  return useQuery({
    queryKey: ['light', slug, render?.id, key],
    queryFn: async (): Promise<Light> => {
      const answer = await fetch(`/api/projects/${slug}/renders/${render?.id}/light?size=${LARGEST}&v=${encodeURIComponent(key)}`);
      if (!answer.ok) throw new NotDrawn('The picture is gone, or cannot be read any more.');
      const content = await answer.arrayBuffer();
      const [width = 0, height = 0] = new Uint32Array(content, 0, 2);
      return { key, width, height, pixels: new Uint16Array(content, 8) };
    },
    enabled: render !== undefined && project.data !== undefined,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
  });
}

/** The engine's program of a view. */
export function useProgram(choice: ViewChoice) {
  const slug = useSlug();
  const project = useProject();
  const revision = project.data?.revision.number;
  const key = `${revision} ${choice.display} ${choice.view} ${choice.look}`;
  const program = useQuery({
    queryKey: ['program', slug, key],
    queryFn: () => body(api.GET('/api/projects/{slug}/program', { params: { path: { slug }, query: choice } })),
    enabled: revision !== undefined,
    staleTime: Infinity,
    retry: false,
  });
  return { key, program };
}

/** How far this browser's colours of a view are from the exact path: the largest difference of the proof colours, where
 * the exact values lie on 0–1. */
export function useSelfTest(choice: ViewChoice) {
  const slug = useSlug();
  const found = useDrawer();
  const { key, program } = useProgram(choice);
  return useQuery({
    queryKey: ['self-test', slug, key],
    queryFn: async () => {
      if (!(found instanceof Drawer) || !program.data) return null;
      const answer = await fetch(`/api/projects/${slug}/program/proof?${new URLSearchParams({ ...choice })}`);
      if (!answer.ok) return null;
      const values = new Float32Array(await answer.arrayBuffer());
      const light = values.subarray(0, values.length / 2);
      const exact = values.subarray(values.length / 2);
      const measured = found.measure(light, key, program.data);
      let largest = 0;
      exact.forEach((value, at) => {
        const shown = Math.min(1, Math.max(0, value));
        const drawn = Math.min(1, Math.max(0, measured[at] ?? 0));
        largest = Math.max(largest, Math.abs(shown - drawn));
      });
      return largest;
    },
    enabled: found instanceof Drawer && program.data !== undefined,
    staleTime: Infinity,
    retry: false,
  });
}
