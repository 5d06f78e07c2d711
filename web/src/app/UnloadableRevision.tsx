import { Button } from '@mantine/core';

import { type Project, useRevisions } from '../api/hooks';
import { Revisions, useGoTo } from '../config/Revisions';
import { Empty } from '../shared/states';

/** What a project shows whose current config does not load any more: why, and the way back. */
export function UnloadableRevision({ project }: { project: Project }) {
  const before = useRevisions().data?.find(({ number }) => number < project.revision.number);
  const goTo = useGoTo();
  return (
    <Empty>
      <h2>The config of revision {project.revision.number} does not load</h2>
      <p role="alert">{project.problem}</p>
      <p className="quiet">Nothing is lost. Go back to a revision that loads.</p>
      {before && (
        <Button variant="filled" onClick={() => goTo.mutate(before.number)} loading={goTo.isPending}>
          Go back to revision {before.number}
        </Button>
      )}
      <div style={{ textAlign: 'start' }}>
        <Revisions />
      </div>
    </Empty>
  );
}
