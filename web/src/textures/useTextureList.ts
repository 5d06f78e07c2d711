import { keepPreviousData, useQueries, useQuery, useQueryClient } from '@tanstack/react-query';
import { useCallback, useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { type Texture, useSlug } from '../api/hooks';
import type { Filters } from './filters';

const PAGE = 100;
/** While files are still to be checked the list is asked for again after so many milliseconds. */
const CHECKED_EVERY = 1500;

export type TextureSet = Schemas['Set'];

const pageOf = (slug: string, filters: Filters, page: number, limit = PAGE) => ({
  queryKey: [slug, 'textures', filters, page, limit],
  queryFn: () =>
    body(
      api.GET('/api/v1/projects/{slug}/textures', {
        params: { path: { slug }, query: { ...filters, offset: page * limit, limit } },
      }),
    ),
});

const idsOf = (slug: string, filters: Filters) => ({
  queryKey: [slug, 'texture-ids', filters],
  queryFn: () => body(api.GET('/api/v1/projects/{slug}/textures/ids', { params: { path: { slug }, query: filters } })),
});

/** The first files that a list is narrowed to. */
export function useFirstTextures(filters: Filters, limit: number) {
  return useQuery({ ...pageOf(useSlug(), filters, 0, limit), placeholderData: keepPreviousData });
}

/** What the list can be narrowed to, with how many files each leaves. */
export function useTextureChoices() {
  const slug = useSlug();
  return useQuery({
    queryKey: [slug, 'texture-choices'],
    queryFn: () => body(api.GET('/api/v1/projects/{slug}/textures/choices', { params: { path: { slug } } })),
  });
}

/** All files that a list is narrowed to, in its order, by their numbers. */
export function useTextureIds(filters: Filters) {
  return useQuery(idsOf(useSlug(), filters));
}

/** A list of any length, of which the parts in sight are fetched. */
export function useTextureList(filters: Filters) {
  const slug = useSlug();
  const client = useQueryClient();
  const [pages, setPages] = useState<{ inSight: number[]; seen: number[] }>({ inSight: [0], seen: [0] });
  const first = useQuery({
    ...pageOf(slug, filters, 0),
    placeholderData: keepPreviousData,
    refetchInterval: ({ state }) => ((state.data?.unchecked ?? 0) > 0 ? CHECKED_EVERY : false),
  });
  const others = pages.seen.filter((page) => page > 0);
  // What has gone out of sight is kept as it was: the heads of its sets say how long the list is.
  const fetched = useQueries({
    queries: others.map((page) => ({ ...pageOf(slug, filters, page), enabled: pages.inSight.includes(page) })),
  });
  const loaded = new Map([[0, first.data], ...others.map((page, at) => [page, fetched[at]?.data] as const)]);
  const sets = new Map([...loaded.values()].flatMap((page) => page?.sets.map((set) => [set.key, set] as const) ?? []));

  const want = useCallback((from: number, to: number) => {
    const inSight = Array.from(
      { length: Math.floor(to / PAGE) - Math.floor(from / PAGE) + 1 },
      (_, at) => Math.floor(from / PAGE) + at,
    );
    setPages((before) =>
      before.inSight.join() === inSight.join()
        ? before
        : { inSight, seen: [...new Set([...before.seen, ...inSight])].sort((a, b) => a - b) },
    );
  }, []);
  return {
    first,
    total: first.data?.total ?? 0,
    every: first.data?.every ?? 0,
    unchecked: first.data?.unchecked ?? 0,
    rows: [...loaded.values()].flatMap((page) => page?.textures ?? []),
    rowAt: (index: number): Texture | undefined => loaded.get(Math.floor(index / PAGE))?.textures[index % PAGE],
    setOf: (texture: Texture) => sets.get(texture.member.key),
    want,
    /** The numbers of all files of the list, or of a part of it. */
    ids: async (part: Partial<Filters> = {}) =>
      (await client.fetchQuery({ ...idsOf(slug, { ...filters, ...part }), staleTime: 0 })).map(({ id }) => id),
  };
}

export type TextureRows = ReturnType<typeof useTextureList>;
