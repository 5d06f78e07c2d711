import { Button } from '@mantine/core';
import { useState } from 'react';

import type { Schemas } from '../api/client';

const SHOWN = 6;

/** What becomes what, the first few of it until all is asked for; of very many (`of`) only the first are given. */
export function ChangeList({ changes, label, of }: { changes: Schemas['Change'][]; label: string; of?: number }) {
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
      {all && of !== undefined && of > changes.length && (
        <p className="quiet small">and {(of - changes.length).toLocaleString('en-GB')} more</p>
      )}
      {changes.length > SHOWN && (
        <div>
          <Button size="compact-xs" variant="subtle" onClick={() => setAll(!all)}>
            {all ? 'Show fewer' : of !== undefined && of > changes.length ? `Show the first ${changes.length}` : `Show all ${changes.length}`}
          </Button>
        </div>
      )}
    </>
  );
}
