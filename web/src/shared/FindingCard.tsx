import { Button } from '@mantine/core';

import { api, body } from '../api/client';
import { type Finding, useChange } from '../api/hooks';
import { LevelMark } from './marks';

/** One finding, with why it matters and the fix: what it changes is shown before it is applied. */
export function FindingCard({ finding, withSubject = false }: { finding: Finding; withSubject?: boolean }) {
  const fix = useChange((slug, asked: NonNullable<Finding['fix']>) =>
    body(
      api.POST('/api/projects/{slug}/fix', {
        params: { path: { slug } },
        body: { operation: asked.operation, arguments: asked.arguments },
      }),
    ),
  );
  return (
    <article className={`finding ${finding.level}`}>
      <div className="row">
        <LevelMark level={finding.level} />
        <h3>{finding.title}</h3>
        <span className="quiet small">{finding.level}</span>
      </div>
      {withSubject && <p className="mono small" style={{ overflowWrap: 'anywhere' }}>{finding.subject}</p>}
      <p className="quiet">{finding.why}</p>
      {finding.fix && (
        <div className="block">
          {finding.fix.changes.map((change) => (
            <p key={change.what} className="small">
              <span className="mono">{change.before}</span> → <span className="mono">{change.after}</span>
            </p>
          ))}
          <div>
            <Button variant="filled" loading={fix.isPending} onClick={() => finding.fix && fix.mutate(finding.fix)}>
              {finding.fix.label}
            </Button>
          </div>
        </div>
      )}
    </article>
  );
}
