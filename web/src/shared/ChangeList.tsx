import { Button } from '@mantine/core';
import { useState } from 'react';

import type { Schemas } from '../api/client';

const SHOWN = 6;

/** What becomes what, the first few of it until all is asked for. */
export function ChangeList({ changes, label }: { changes: Schemas['Change'][]; label: string }) {
  const [all, setAll] = useState(false);
  if (changes.length === 0) return null;
  return (
    <>
      <table className="list" aria-label={label}>
        <tbody>
          {(all ? changes : changes.slice(0, SHOWN)).map((change) => (
            <tr key={change.what}>
              <td style={{ overflowWrap: 'anywhere', width: '44%' }}>{change.what}</td>
              <td className="mono small quiet">{change.before || 'not there'}</td>
              <td className="mono small">→&nbsp;{change.after || 'gone'}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {changes.length > SHOWN && (
        <div>
          <Button size="compact-xs" variant="subtle" onClick={() => setAll(!all)}>
            {all ? 'Show fewer' : `Show all ${changes.length}`}
          </Button>
        </div>
      )}
    </>
  );
}
