import { useQuery } from '@tanstack/react-query';

import { api, body, type Schemas } from '../api/client';
import { useSlug } from '../api/hooks';

export type StepState = Schemas['StepState'];

/** What is settled in each step, what is open, and the one thing to do next. */
export function useNext() {
  const slug = useSlug();
  return useQuery({
    queryKey: [slug, 'next'],
    queryFn: () => body(api.GET('/api/v1/projects/{slug}/next', { params: { path: { slug } } })),
  });
}

/** The mistakes of the demo that are to be found; none in other projects. */
export function useWalk() {
  const slug = useSlug();
  return useQuery({
    queryKey: [slug, 'walk'],
    queryFn: () => body(api.GET('/api/v1/projects/{slug}/walk', { params: { path: { slug } } })),
  });
}
