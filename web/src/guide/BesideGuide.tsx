import { ActionIcon, Button } from '@mantine/core';
import { IconArrowLeft, IconX } from '@tabler/icons-react';
import { lazy, type ReactNode, Suspense } from 'react';

import classes from './Guide.module.css';
import { type Guide } from './useGuide';

const Page = lazy(() => import('./Page'));
const CONTENTS = 'guide/README';

/** The work, with the guide beside it while it is open. */
export function BesideGuide({ guide: { place, hasBack, go, back, close }, children }: { guide: Guide; children: ReactNode }) {
  return (
    <div className={place === undefined ? classes.alone : classes.beside}>
      <div className={classes.work}>{children}</div>
      {place !== undefined && (
        <aside className={classes.guide} aria-label="Guide" onKeyDown={(event) => event.key === 'Escape' && close()}>
          <div className="row spread">
            <div className="row">
              <h2>Guide</h2>
              <ActionIcon variant="subtle" aria-label="Back in the guide" title="Back" disabled={!hasBack} onClick={back}>
                <IconArrowLeft size={16} />
              </ActionIcon>
              <Button variant="subtle" size="compact-sm" onClick={() => go(CONTENTS)}>
                Contents
              </Button>
            </div>
            <ActionIcon variant="subtle" aria-label="Close the guide" title="Close the guide (G)" onClick={close}>
              <IconX size={16} />
            </ActionIcon>
          </div>
          <Suspense fallback={<p role="status">Opening the guide …</p>}>
            <Page place={place} onGo={go} />
          </Suspense>
        </aside>
      )}
    </div>
  );
}
