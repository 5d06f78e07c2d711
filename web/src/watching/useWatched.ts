import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { useSearchParams } from 'react-router';

import { api, body, type Schemas } from '../api/client';
import { useSlug } from '../api/hooks';

export type Watched = Schemas['Watched'];
export type Series = Schemas['Series'];
export type SeenFrame = Schemas['SeenFrame'];

const EVERY_MS = 3_000;

/** The folders that the project watches. */
export function useWatchedFolders() {
  const slug = useSlug();
  return useQuery({
    queryKey: [slug, 'watched'],
    queryFn: () => body(api.GET('/api/v1/projects/{slug}/watched', { params: { path: { slug } } })),
    refetchInterval: EVERY_MS,
  });
}

/** The frames of a folder; what is found of them is news for the findings, too. */
export function useSeenFrames(id: number) {
  const slug = useSlug();
  const client = useQueryClient();
  const frames = useQuery({
    queryKey: [slug, 'watched', id],
    queryFn: () => body(api.GET('/api/v1/projects/{slug}/watched/{id}/frames', { params: { path: { slug, id } } })),
    refetchInterval: EVERY_MS,
  });
  const wrong = frames.data?.reduce((count, { frames: some }) => count + some.filter(({ notes }) => notes.length > 0).length, 0);
  const before = useRef(wrong);
  useEffect(() => {
    if (before.current !== undefined && before.current !== wrong) {
      void client.invalidateQueries({ queryKey: [slug, 'findings'] });
      void client.invalidateQueries({ queryKey: [slug, 'own-findings'] });
      void client.invalidateQueries({ queryKey: [slug, 'project'] });
    }
    before.current = wrong;
  }, [wrong, client, slug]);
  return frames;
}

/** The folder and the frame that are looked at stand in the address, so that a link leads to them. */
export function useLookedAt() {
  const [search, setSearch] = useSearchParams();
  const number = (name: string) => (search.has(name) ? Number(search.get(name)) : undefined);
  const look = (folder: number | undefined, name?: string) =>
    setSearch(folder === undefined ? {} : { watched: String(folder), ...(name ? { frame: name } : {}) }, { replace: true });
  return { folder: number('watched'), frame: search.get('frame') ?? undefined, look };
}
