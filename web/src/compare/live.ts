import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';

import { api, body } from '../api/client';
import { useProject, useSlug } from '../api/hooks';
import { Drawer, type Light, NotDrawn, type Shot } from './drawer';
import { configQuery, type Shown } from './shown';

const LARGEST = 4096;
const SMALL = 128;
/** Pixels between the places where boxes of full resolution begin, so that a small move needs no other box. */
const GRID = 256;
const BOX = 2048;

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

async function fetchLight(path: string, query: Record<string, string>, key: string): Promise<Light> {
  const answer = await fetch(`${path}?${new URLSearchParams({ ...query, v: key })}`);
  if (!answer.ok) {
    const said = (await answer.json().catch(() => undefined)) as { detail?: string } | undefined;
    throw new NotDrawn(said?.detail ?? 'The picture is gone, or cannot be read any more.');
  }
  const content = await answer.arrayBuffer();
  const [width = 0, height = 0] = new Uint32Array(content, 0, 2);
  return { key, width, height, pixels: new Uint16Array(content, 8) };
}

/** Where a picture's light is asked for, and what that depends on. */
function useLightSource(shown: Shown) {
  const slug = useSlug();
  const project = useProject();
  const { render, layer, working, revision } = shown;
  const at = `${revision ?? project.data?.revision.number} ${working || project.data?.setup.working_space}`;
  const query: Record<string, string> = Object.fromEntries(
    Object.entries(configQuery({ ...shown, draft: '' })).map(([name, value]) => [name, String(value)]),
  );
  const source =
    typeof render === 'string'
      ? { path: `/api/v1/projects/${slug}/test-pictures/${render}`, key: `${render} ${at}`, query }
      : {
          path: `/api/v1/projects/${slug}/renders/${render.id}/light`,
          key: `${render.image} ${render.space} ${layer} ${at}`,
          query: { ...query, layer },
        };
  return { slug, ready: project.data !== undefined, ...source };
}

/** A picture as light in the working space, whole, in as many pixels as every WebGL2 holds; of one that is larger, a
 * small picture that is kept, until the other is there. */
export function useLight(shown: Shown) {
  const { slug, ready, path, key, query } = useLightSource(shown);
  const { render } = shown;
  const isLarge = typeof render !== 'string' && Math.max(render.width, render.height) > LARGEST;
  const small = useQuery({
    queryKey: ['light', slug, path, key, SMALL],
    queryFn: () => fetchLight(path, { ...query, size: String(SMALL) }, `${key} ${SMALL}`),
    enabled: ready && isLarge,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
  });
  const whole = useQuery({
    queryKey: ['light', slug, path, key],
    queryFn: () => fetchLight(path, { ...query, size: String(LARGEST) }, key),
    enabled: ready && (!isLarge || small.isFetched),
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
  });
  return { data: whole.data ?? small.data, error: whole.error, isWhole: whole.data !== undefined };
}

/** The part of a large picture that is looked at, in full resolution, once it is magnified so far that the whole of it
 * would be too coarse; and the window in that part. */
export function useDetail(shown: Shown, whole: Light | undefined, window: Shot['window'], pixels: number) {
  const { slug, path, key, query } = useLightSource(shown);
  const { render } = shown;
  const size = typeof render === 'string' ? undefined : { width: render.width, height: render.height };
  const isCoarse = size && whole && whole.width < size.width && whole.width * window.width < pixels;
  const box = isCoarse ? boxAround(window, size) : undefined;
  const [steady] = useDebouncedValue(JSON.stringify(box), 120);
  const part = useQuery({
    queryKey: ['light', slug, path, key, steady],
    queryFn: async () => {
      const asked = JSON.parse(steady ?? '') as Box;
      const numbers = Object.fromEntries(Object.entries(asked).map(([name, value]) => [name, String(value)]));
      return { asked, light: await fetchLight(path, { ...query, ...numbers }, `${key} ${steady}`) };
    },
    enabled: box !== undefined && steady !== undefined,
    staleTime: Infinity,
    gcTime: 20_000,
    retry: false,
  });
  if (!box || !size || !part.data || JSON.stringify(part.data.asked) !== JSON.stringify(box)) return undefined;
  const { light } = part.data;
  return {
    light,
    window: {
      x: (window.x * size.width - box.x) / light.width,
      y: (window.y * size.height - box.y) / light.height,
      width: (window.width * size.width) / light.width,
      height: (window.height * size.height) / light.height,
    },
  };
}

interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

function boxAround(window: Shot['window'], size: { width: number; height: number }): Box {
  const along = (start: number, share: number, all: number): [number, number] => {
    const from = Math.floor((start * all) / GRID) * GRID;
    const needed = Math.ceil(((start + share) * all - from) / GRID) * GRID;
    return [from, Math.min(Math.min(BOX, LARGEST), needed, all - from)];
  };
  const [x, width] = along(window.x, window.width, size.width);
  const [y, height] = along(window.y, window.height, size.height);
  return { x, y, width, height };
}

export type Target = 'codes' | 'light' | 'srgb' | 'display-p3';

/** The engine's program of a view, and what it gives. */
export function useProgram(shown: Shown, target: Target = 'codes', enabled = true) {
  const slug = useSlug();
  const project = useProject();
  const revision = shown.revision ?? project.data?.revision.number;
  const { choice, working, draft, render } = shown;
  // A view without conversion shows the numbers of the file.
  const numbers = typeof render === 'string' ? {} : { numbers_in: render.space };
  const key = [revision, choice.display, choice.view, choice.look, working, draft, target, numbers.numbers_in].join('|');
  const program = useQuery({
    queryKey: ['program', slug, key],
    queryFn: () =>
      body(
        api.GET('/api/v1/projects/{slug}/program', {
          params: { path: { slug }, query: { ...choice, ...configQuery(shown), ...numbers, target } },
        }),
      ),
    enabled: enabled && revision !== undefined,
    placeholderData: draft ? keepPreviousData : undefined,
    staleTime: Infinity,
    gcTime: draft ? 10_000 : 300_000,
    retry: false,
  });
  // While a view is being designed, the program before it is shown until the next is there, under its own key.
  const [settled, setSettled] = useState(key);
  if (program.data && !program.isPlaceholderData && settled !== key) setSettled(key);
  return { key: program.isPlaceholderData ? settled : key, program };
}

const whenIdle = () => new Promise((settle) => requestIdleCallback(settle, { timeout: 2000 }));

/** How far this browser's colours of a view are from the exact path: the largest difference of the proof colours, where
 * the exact values lie on 0–1. The server is told of SDR displays, so that it is a finding where it is too far. */
export function useSelfTest(shown: Shown) {
  const slug = useSlug();
  const found = useDrawer();
  const { key, program } = useProgram(shown);
  return useQuery({
    queryKey: ['self-test', slug, key],
    queryFn: async () => {
      if (!(found instanceof Drawer) || !program.data) return null;
      const { choice, render } = shown;
      const query = new URLSearchParams({
        ...choice,
        ...(shown.working ? { working: shown.working } : {}),
        ...(typeof render === 'string' ? {} : { numbers_in: render.space }),
      });
      const answer = await fetch(`/api/v1/projects/${slug}/program/proof?${query}`);
      if (!answer.ok) return null;
      const values = new Float32Array(await answer.arrayBuffer());
      const light = values.subarray(0, values.length / 2);
      const exact = values.subarray(values.length / 2);
      await whenIdle();
      const measured = found.measure(light, key, program.data);
      let largest = 0;
      exact.forEach((value, at) => {
        const right = Math.min(1, Math.max(0, value));
        const drawn = Math.min(1, Math.max(0, measured[at] ?? 0));
        largest = Math.max(largest, Math.abs(right - drawn));
      });
      const isHdr = program.data.light === 'hdr';
      if (!isHdr) {
        await api.POST('/api/v1/projects/{slug}/program/difference', {
          params: { path: { slug } },
          body: { ...choice, largest },
        });
      }
      return { largest, isHdr };
    },
    enabled: found instanceof Drawer && program.data !== undefined && shown.revision === undefined,
    staleTime: Infinity,
    retry: false,
  });
}
