import { Button } from '@mantine/core';
import { useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { useChange, useProject, useRevisions } from '../api/hooks';
import { dayAndTime } from '../shared/dates';
import { Loaded } from '../shared/states';
import { folded } from './folded';

type Revision = Schemas['Revision'];

const SHOWN = 5;

/** The saved states of the setup, runs of small edits folded. Going back to one keeps the others. */
export function Revisions() {
  const revisions = useRevisions();
  const current = useProject().data?.revision.number ?? 0;
  const [all, setAll] = useState(false);
  return (
    <div className="block">
      <h2>Revisions</h2>
      <Loaded of={revisions}>
        {(listed) => {
          const runs = folded(listed);
          // The newest is about to come in at the top: what is pressed now would move from under the pointer.
          const isBehind = (listed[0]?.number ?? 0) < current;
          return (
            <>
              {(all ? runs : runs.slice(0, SHOWN)).map((run) => (
                <Run key={run[0]?.number} run={run} isBehind={isBehind} />
              ))}
              {runs.length > SHOWN && (
                <Button size="compact-xs" variant="subtle" onClick={() => setAll(!all)}>
                  {all ? 'Show fewer' : `Show all ${listed.length}`}
                </Button>
              )}
            </>
          );
        }}
      </Loaded>
    </div>
  );
}

function Run({ run, isBehind }: { run: Revision[]; isBehind: boolean }) {
  const [open, setOpen] = useState(false);
  const [newest, ...earlier] = run;
  if (!newest) return null;
  return (
    <>
      <Row revision={newest} isBehind={isBehind} />
      {earlier.length > 0 && (
        <Button size="compact-xs" variant="subtle" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? 'Fold' : `and ${earlier.length} small edits before it`}
        </Button>
      )}
      {open && earlier.map((revision) => <Row key={revision.number} revision={revision} isBehind={isBehind} />)}
    </>
  );
}

/** Make a revision the current one. */
export function useGoTo() {
  const current = useProject().data?.revision.number ?? 0;
  return useChange((slug, number: number) =>
    body(
      api.POST('/api/v1/projects/{slug}/revisions', { params: { path: { slug } }, body: { number, based_on: current } }),
    ),
  );
}

function Row({ revision, isBehind }: { revision: Revision; isBehind: boolean }) {
  const project = useProject();
  const current = project.data?.revision.number ?? 0;
  const goTo = useGoTo();
  const made = new Date(revision.created);
  return (
    <div className="row spread">
      <span style={{ minWidth: 0 }}>
        <span className="ellipsis small" style={{ display: 'block' }} title={revision.message}>
          <span className="mono">{revision.number}</span> {revision.message}
        </span>
        <span className="quiet small" title={made.toLocaleString('en-GB')}>
          {[dayAndTime(made), revision.author]
            .filter(Boolean)
            .join(', ')}
        </span>
      </span>
      {revision.number === current ? (
        <span className="quiet small" style={{ flex: 'none' }}>
          current{project.data?.moved_by && `, set by ${project.data.moved_by}`}
        </span>
      ) : (
        <Button
          size="compact-xs"
          style={{ flex: 'none' }}
          onClick={() => goTo.mutate(revision.number)}
          disabled={goTo.isPending || isBehind}
        >
          Make {revision.number} current
        </Button>
      )}
    </div>
  );
}
