import { Button } from '@mantine/core';

import { api, body } from '../api/client';
import { type Render, useChange, useFrames } from '../api/hooks';
import { Facts } from '../shared/Facts';
import { counted, LevelMark } from '../shared/marks';

const MOST_LISTED = 12;

/** What there is of a sequence: gaps, frames that cannot be read, and those that differ from the others. */
export function SequenceFacts({ render }: { render: Render }) {
  const frames = useFrames(render);
  const again = useChange((slug) =>
    body(api.POST('/api/v1/projects/{slug}/renders/{id}/look-again', { params: { path: { slug, id: render.id } } })),
  );
  const { sequence } = render;
  if (!sequence) return null;
  const wrong = (frames.data ?? []).filter(({ reason, differs, non_finite }) => reason || differs || non_finite > 0);
  return (
    <section className="block" aria-label="Frames">
      <div className="row spread">
        <h3>Frames</h3>
        {sequence.in_place && (
          <Button
            size="compact-xs"
            loading={again.isPending}
            title="Read what is new or changed in the folder"
            onClick={() => again.mutate(undefined)}
          >
            Rescan
          </Button>
        )}
      </div>
      <Facts
        facts={[
          { name: 'frames', value: `${sequence.first} to ${sequence.last}${sequence.step > 1 ? ` by ${sequence.step}` : ''}` },
          { name: 'read', value: String(sequence.read) },
          ...(sequence.waiting ? [{ name: 'waiting', value: String(sequence.waiting) }] : []),
          { name: 'looked at', value: String(sequence.frame) },
        ]}
      />
      {sequence.missing && (
        <p className="row">
          <LevelMark level="caution" /> Missing: {sequence.missing}
        </p>
      )}
      {wrong.slice(0, MOST_LISTED).map(({ number, reason, differs, non_finite }) => (
        <p key={number} className="row small" style={{ alignItems: 'flex-start' }}>
          <LevelMark level={reason ? 'blocker' : 'caution'} />
          <span>
            {number}: {reason || differs || `${counted(non_finite, 'sample')} that are no numbers`}
          </span>
        </p>
      ))}
      {wrong.length > MOST_LISTED && <p className="quiet small">and {wrong.length - MOST_LISTED} more</p>}
    </section>
  );
}
