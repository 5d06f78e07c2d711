import { Button, Textarea } from '@mantine/core';

import { api, body } from '../api/client';
import { useChange, useProject } from '../api/hooks';
import { useRemembered } from '../shared/remembered';
import type { Kept, TableState } from './useTable';

/** What a kept comparison is, its notes, and the way back to the present. */
export function KeptNotes({
  kept,
  state,
  isLost,
  onLeave,
}: {
  kept: Kept;
  state: TableState;
  /** Its picture was deleted. */
  isLost: boolean;
  onLeave: () => void;
}) {
  const project = useProject();
  const [notes, setNotes] = useRemembered(`notes of comparison ${kept.id}`, kept.notes);
  const save = useChange((slug, text: string) =>
    body(
      api.PUT('/api/v1/projects/{slug}/kept-comparisons/{id}', {
        params: { path: { slug, id: kept.id } },
        body: { name: kept.name, notes: text, based_on: kept.version },
      }),
    ),
  );
  const takeOver = useChange(async (slug) => {
    const now = await body(api.GET('/api/v1/projects/{slug}/comparison', { params: { path: { slug } } }));
    const { probes, ...rest } = state;
    return body(
      api.PUT('/api/v1/projects/{slug}/comparison', {
        params: { path: { slug } },
        body: { ...rest, probes: probes.map(({ x, y }) => [x, y]), based_on: now.version },
      }),
    );
  });
  const isOld = project.data !== undefined && project.data.revision.number !== kept.revision;
  return (
    <div className="block" role="region" aria-label="Kept comparison">
      <h2>{kept.name}</h2>
      <p className="quiet small">
        Kept on {new Date(kept.made).toLocaleDateString('en-GB')}, shown through the config of revision {kept.revision}
        {isOld ? `; the project is at ${project.data.revision.number}` : ''}. What you change here stays in this window.
      </p>
      {isLost && <p role="alert">The render of this comparison was deleted; another is shown in its place.</p>}
      <Textarea label="Notes" autosize minRows={2} maxRows={8} maxLength={10_000} value={notes} onChange={(event) => setNotes(event.currentTarget.value)} />
      <div className="row wrap">
        <Button size="xs" disabled={notes === kept.notes} loading={save.isPending} onClick={() => save.mutate(notes)}>
          Save the notes
        </Button>
        <Button size="xs" loading={takeOver.isPending} onClick={() => takeOver.mutate(undefined, { onSuccess: onLeave })}>
          Show these panes now
        </Button>
        <Button size="xs" onClick={onLeave}>
          Leave
        </Button>
      </div>
    </div>
  );
}
