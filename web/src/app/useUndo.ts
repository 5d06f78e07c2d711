import { api, body } from '../api/client';
import { type Project, useChange } from '../api/hooks';

/** Go back to the revision before, and forward again. */
export function useUndo(project: Project | undefined) {
  const step = useChange((slug, call: '/api/v1/projects/{slug}/undo' | '/api/v1/projects/{slug}/redo') =>
    body(api.POST(call, { params: { path: { slug } }, body: { based_on: project?.revision.number ?? 0 } })),
  );
  return {
    undo: () => project?.can_undo && step.mutate('/api/v1/projects/{slug}/undo'),
    redo: () => project?.can_redo && step.mutate('/api/v1/projects/{slug}/redo'),
  };
}
