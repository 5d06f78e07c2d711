import { Button } from '@mantine/core';

import type { Schemas } from '../api/client';
import { counted, LevelMark } from '../shared/marks';

/** What a material document says of the spaces of files, beside how the project reads them. */
export function MaterialComparison({ rows, onClose }: { rows: Schemas['Disagreement'][]; onClose: () => void }) {
  const others = rows.filter(({ agrees }) => !agrees).length;
  return (
    <>
      <div className="row spread">
        <h2>What the document says</h2>
        <Button onClick={onClose}>Close</Button>
      </div>
      <p role="status">
        {others === 0
          ? `It reads ${counted(rows.length, 'file')} as this project does.`
          : `${others} of ${counted(rows.length, 'file')} read differently, or cannot be compared.`}
      </p>
      <table className="list" aria-label="Document and rules">
        <thead>
          <tr>
            <th>In the document</th>
            <th>It says</th>
            <th>Read here as</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {rows.map(({ file, texture, assigned, agrees, why }) => (
            <tr key={file.where + texture}>
              <td style={{ overflowWrap: 'anywhere' }}>
                {file.path}
                <div className="quiet small">{texture || file.where}</div>
              </td>
              <td className="mono small">{file.said || 'nothing'}</td>
              <td className="mono small">{assigned || '–'}</td>
              <td className="small">
                {agrees ? (
                  <span className="quiet">the same</span>
                ) : (
                  <span className="row">
                    <LevelMark level="caution" /> {why}
                  </span>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
