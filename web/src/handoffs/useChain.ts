import { useQuery } from '@tanstack/react-query';

import { api, body, type Schemas } from '../api/client';
import { useProject, useSlug } from '../api/hooks';

export type Mistake = Schemas['StationMistake'];

/** The applications in columns, and what goes from one to the other. */
export function useChain() {
  const slug = useSlug();
  return useQuery({
    queryKey: [slug, 'chain'],
    queryFn: () => body(api.GET('/api/v1/projects/{slug}/chain', { params: { path: { slug } } })),
  });
}

/** What is mostly set wrong in an application. */
export function useMistakes(id: number) {
  const slug = useSlug();
  return useQuery({
    queryKey: [slug, 'mistakes', id],
    queryFn: () => body(api.GET('/api/v1/projects/{slug}/stations/{id}/mistakes', { params: { path: { slug, id } } })),
  });
}

/** Pictures change with the project, so their addresses hold its state. */
export function usePictureAddress() {
  const slug = useSlug();
  const project = useProject();
  const state = `${project.data?.revision.number}.${project.data?.undo?.id ?? 0}`;
  return (path: string, query: [string, string | number][]) =>
    `/api/v1/projects/${slug}/${path}?${new URLSearchParams([...query.map(([key, value]) => [key, String(value)] as [string, string]), ['state', state]])}`;
}
