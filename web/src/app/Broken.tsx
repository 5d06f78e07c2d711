import { Button } from '@mantine/core';
import { useRouteError } from 'react-router';

import { Empty } from '../shared/states';

/** What a page shows that failed: most often it is older than the server, and loading it again mends it. */
export function Broken() {
  const error = useRouteError();
  return (
    <Empty>
      <h2>This page stopped working</h2>
      <p role="alert" className="quiet">
        Nothing that was saved is lost. If it stops again, tell whoever keeps Saltwort for you:{' '}
        <span className="mono small">{error instanceof Error ? error.message : 'no reason given'}</span>
      </p>
      <Button variant="filled" onClick={() => window.location.reload()}>
        Reload
      </Button>
    </Empty>
  );
}
