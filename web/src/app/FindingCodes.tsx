import { Link } from 'react-router';

import { useFindingCodes } from '../api/hooks';
import { type Level, LevelMark } from '../shared/marks';
import { Loaded } from '../shared/states';

/** Every code a finding can have, and what it means. */
export function FindingCodes() {
  const codes = useFindingCodes();
  return (
    <main className="column" style={{ height: '100%', margin: '0 auto', maxWidth: 900 }}>
      <div className="row spread">
        <h1>What each finding means</h1>
        <Link to="/" style={{ color: 'inherit' }}>
          Back to the project
        </Link>
      </div>
      <p className="quiet">
        A blocker makes the result wrong, a caution probably, a note is worth knowing. Codes stay the same between
        versions.
      </p>
      <Loaded of={codes}>
        {(listed) => (
          <table className="list">
            <tbody>
              {listed.map((code) => (
                <tr key={code.code}>
                  <td>
                    <span className="row">
                      <LevelMark level={code.level as Level} /> {code.level}
                    </span>
                  </td>
                  <td className="mono small">{code.code}</td>
                  <td>{code.meaning}</td>
                  <td>
                    <Link to={`/guide/${code.guide}`} aria-label={`Guide: ${code.code}`}>
                      Guide
                    </Link>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </Loaded>
    </main>
  );
}
