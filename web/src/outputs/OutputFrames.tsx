import { Button } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';

import { api, body } from '../api/client';
import { type Output, useChange, useSlug } from '../api/hooks';
import { LevelMark } from '../shared/marks';

/** What a browser shows by itself. */
export const SHOWN = /\.(png|jpg|avif)$/;
const MOST_LISTED = 8;

/** The files of an output that is a sequence: the first that is made, why others are not, and a way to make the rest. */
export function OutputFrames({ output, busy }: { output: Output; busy: boolean }) {
  const slug = useSlug();
  const counts = output.frames;
  const frames = useQuery({
    queryKey: [slug, 'output-frames', output.id, counts?.made, counts?.refused],
    queryFn: () =>
      body(api.GET('/api/v1/projects/{slug}/outputs/{id}/frames', { params: { path: { slug, id: output.id } } })),
  });
  const rest = useChange((of) =>
    body(api.POST('/api/v1/projects/{slug}/outputs/{id}/make-the-rest', { params: { path: { slug: of, id: output.id } } })),
  );
  if (!counts) return null;
  const first = frames.data?.find(({ state }) => state === 'made');
  const refused = (frames.data ?? []).filter(({ reason }) => reason);
  const left = counts.waiting + counts.refused;
  return (
    <>
      {first && SHOWN.test(output.name) && (
        <div className="plate">
          <img src={`/api/v1/projects/${slug}/outputs/${output.id}/frames/${first.number}`} alt={first.name} />
        </div>
      )}
      {refused.slice(0, MOST_LISTED).map(({ number, reason }) => (
        <p key={number} className="row small" style={{ alignItems: 'flex-start' }}>
          <LevelMark level="blocker" />
          <span>
            {number}: {reason}
          </span>
        </p>
      ))}
      {refused.length > MOST_LISTED && <p className="quiet small">and {refused.length - MOST_LISTED} more</p>}
      {left > 0 && !busy && (
        <div>
          <Button size="compact-xs" loading={rest.isPending} onClick={() => rest.mutate(undefined)}>
            Make the other {left}
          </Button>
        </div>
      )}
    </>
  );
}
