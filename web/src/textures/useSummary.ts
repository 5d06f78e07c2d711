import { useQuery } from '@tanstack/react-query';

import { api, body } from '../api/client';
import { useSlug } from '../api/hooks';

/** What chosen files are, all together; all files of the project where none is named. */
export function useSummary(ids: number[]) {
  const slug = useSlug();
  return useQuery({
    queryKey: [slug, 'texture-summary', ids],
    queryFn: () =>
      body(api.POST('/api/v1/projects/{slug}/textures/summary', { params: { path: { slug } }, body: { textures: ids } })),
  });
}
