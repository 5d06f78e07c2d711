import { Button } from '@mantine/core';

import type { Project } from '../api/hooks';
import { Revisions } from '../config/Revisions';
import { Empty } from '../shared/states';
import { useUndo } from './useUndo';

/** What a project shows whose current config does not load any more: why, and the way back. */
export function UnloadableRevision({ project }: { project: Project }) {
  const { undo } = useUndo(project);
  return (
    <Empty>
      <h2>The config of revision {project.revision.number} does not load</h2>
      <p role="alert">{project.problem}</p>
      <p className="quiet">Nothing is lost. Go back to a revision that loads.</p>
      {project.can_undo && (
        <Button variant="filled" onClick={undo}>
          Go go back one revision
        </Button>
      )}
      <div style={{ textAlign: 'start' }}>
        <Revisions />
      </div>
    </Empty>
  );
}
