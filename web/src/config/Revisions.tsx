import { Button } from '@mantine/core';
import { useState } from 'react';

import { api, body } from '../api/client';
import { useChange, useProject, useRevisions } from '../api/hooks';
import { Loaded } from '../shared/states';

const SHOWN = 5;

/** The saved states of the setup. Going back to one keeps the others. */
export function Revisions() {
  const project = useProject();
  const revisions = useRevisions();
  const [all, setAll] = useState(false);
  const current = project.data?.revision.number ?? 0;
  const goTo = useChange((slug, number: number) =>
    body(
      api.POST('/api/projects/{slug}/revisions', { params: { path: { slug } }, body: { number, based_on: current } }),
    ),
  );
  return (
    <div className="block">
      <h2>Revisions</h2>
      <Loaded of={revisions}>
        {(listed) => (
          <>
            {(all ? listed : listed.slice(0, SHOWN)).map((revision) => (
              <div key={revision.number} className="row spread">
                <span className="ellipsis small" title={revision.message}>
                  <span className="mono">{revision.number}</span> {revision.message}
                </span>
                {revision.number === current ? (
                  <span className="quiet small">current</span>
                ) : (
                  <Button size="compact-xs" onClick={() => goTo.mutate(revision.number)} disabled={goTo.isPending}>
                    Go to {revision.number}
                  </Button>
                )}
              </div>
            ))}
            {listed.length > SHOWN && (
              <Button size="compact-xs" variant="subtle" onClick={() => setAll(!all)}>
                {all ? 'Show fewer' : `Show all ${listed.length}`}
              </Button>
            )}
          </>
        )}
      </Loaded>
    </div>
  );
}
