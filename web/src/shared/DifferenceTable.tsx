import type { Schemas } from '../api/client';
import { css, figure } from './colour';

type Difference = Schemas['Difference'];

/** What differs between two configs, the worst first; for colours how far, and where it is worst. */
export function DifferenceTable({ differences }: { differences: Difference[] }) {
  if (differences.length === 0) return null;
  const measured = differences.some((row) => row.metric);
  return (
    <table className="list" aria-label="Differences">
      <thead>
        <tr>
          <th>What</th>
          <th>Name</th>
          {measured && <th style={{ whiteSpace: 'nowrap' }}>Largest, mean</th>}
          {measured && <th style={{ whiteSpace: 'nowrap' }}>Worst at</th>}
        </tr>
      </thead>
      <tbody>
        {differences.map((row) => (
          <tr key={`${row.kind} ${row.what} ${row.name}`}>
            <td className="quiet" style={{ whiteSpace: 'nowrap' }}>
              {row.what} {row.kind}
            </td>
            <td>{row.other && row.other !== row.name ? `${row.name} → ${row.other}` : row.name}</td>
            {measured && (
              <td className="mono small" style={{ whiteSpace: 'nowrap' }}>
                {row.metric && `${figure(row.largest)}, ${figure(row.mean)} ${row.metric}`}
              </td>
            )}
            {measured && (
              <td className="mono small" style={{ whiteSpace: 'nowrap' }}>
                {row.worst && (
                  <span className="row">
                    <span className="disc" style={{ background: css(row.worst), height: 20, width: 20 }} />
                    {row.worst.map((value) => figure(value)).join(' ')}
                  </span>
                )}
              </td>
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
