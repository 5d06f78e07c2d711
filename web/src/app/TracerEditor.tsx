import { Button } from '@mantine/core';
import { useState } from 'react';

import { api, body } from '../api/client';
import { type Project, useChange } from '../api/hooks';
import { TypedColourFields } from '../shared/TypedColourFields';

/** Type the colour that the path strip carries. */
export function TracerEditor({ project, onDone }: { project: Project; onDone: () => void }) {
  const { version, ...current } = project.tracer;
  const [typed, setTyped] = useState(current);
  const change = useChange((slug) =>
    body(
      api.PUT('/api/v1/projects/{slug}/tracer', { params: { path: { slug } }, body: { ...typed, based_on: version } }),
    ),
  );
  return (
    <form
      className="block"
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate(undefined, { onSuccess: onDone });
      }}
    >
      <TypedColourFields typed={typed} onChange={setTyped} error={change.error?.message} autoFocus />
      <p className="quiet small">The discs between the steps show it as typed, rendered, viewed and written.</p>
      <div className="row">
        <Button type="submit" variant="filled" loading={change.isPending}>
          Use this colour
        </Button>
        <Button onClick={onDone}>Cancel</Button>
      </div>
    </form>
  );
}
