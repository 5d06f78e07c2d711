import { Button, TextInput } from '@mantine/core';
import { useState } from 'react';

import { api, body, type Schemas, tell } from '../api/client';
import { useChange } from '../api/hooks';

/** Undo what was done: in this picture, or in every picture of a folder. */
export function Rescue({ made, file }: { made: Schemas['Explanation']; file: string }) {
  const [asking, setAsking] = useState(false);
  const [folder, setFolder] = useState('');
  const rescue = useChange((slug, typed: string) =>
    body(
      api.POST('/api/v1/projects/{slug}/explanations/{id}/rescue-folder', {
        params: { path: { slug, id: made.id } },
        body: { folder: typed },
      }),
    ),
  );
  const queued = () => {
    setAsking(false);
    tell('The folder is queued. Jobs says how far it is.');
  };
  return (
    <div className="block" role="group" aria-label="Rescue">
      <div className="row wrap">
        <Button size="compact-xs" component="a" href={file} download>
          Rescue as scene-linear EXR
        </Button>
        <Button size="compact-xs" onClick={() => setAsking(!asking)} aria-expanded={asking}>
          Rescue a folder
        </Button>
        <span className="small quiet">{made.undo.lost.length === 0 && 'What was done is undone; steps of the file stay.'}</span>
      </div>
      {asking && (
        <form
          className="row wrap"
          style={{ alignItems: 'flex-end' }}
          onSubmit={(event) => {
            event.preventDefault();
            rescue.mutate(folder, { onSuccess: queued });
          }}
        >
          <TextInput
            size="xs"
            style={{ flex: 1 }}
            label="Folder whose pictures went the same way"
            description="They stay as they are; the light is written to a folder “rescued” in it."
            value={folder}
            onChange={(event) => setFolder(event.currentTarget.value)}
            error={rescue.error?.message}
            autoFocus
          />
          <Button type="submit" size="xs" disabled={!folder.trim()} loading={rescue.isPending}>
            Rescue them
          </Button>
        </form>
      )}
    </div>
  );
}
