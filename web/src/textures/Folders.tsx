import { Button } from '@mantine/core';

import { api, body } from '../api/client';
import { useChange, useTextureFolders } from '../api/hooks';
import { counted } from '../shared/marks';
import { useRemoval } from '../shared/useUndo';
import classes from './Textures.module.css';

/** The folders whose textures are read where they lie. */
export function Folders() {
  const folders = useTextureFolders();
  const again = useChange((slug, id: number) =>
    body(api.POST('/api/v1/projects/{slug}/texture-folders/{id}/look-again', { params: { path: { slug, id } } })),
  );
  const unlink = useRemoval(
    (slug, id: number) =>
      body(api.DELETE('/api/v1/projects/{slug}/texture-folders/{id}', { params: { path: { slug, id } } })),
    'Link to the folder',
  );
  if (!folders.data?.length) return null;
  return (
    <details className={classes.words} open>
      <summary>Folders read in place</summary>
      {folders.data.map(({ id, name, place, files }) => (
        <div key={id} className="card block">
          <div className="row spread">
            <span className="ellipsis">{name}</span>
            <span className="quiet small">{counted(files, 'file')}</span>
          </div>
          <p className="mono small quiet" style={{ overflowWrap: 'anywhere' }}>
            {place}
          </p>
          <div className="row">
            <Button size="compact-xs" onClick={() => again.mutate(id)} loading={again.isPending && again.variables === id}>
              Rescan
            </Button>
            <Button size="compact-xs" variant="subtle" onClick={() => unlink.mutate(id)} title="Unlink the folder; its textures stay in the project">
              Unlink
            </Button>
          </div>
        </div>
      ))}
    </details>
  );
}
