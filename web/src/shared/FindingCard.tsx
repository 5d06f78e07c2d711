import { Button } from '@mantine/core';
import { Link } from 'react-router';

import { api, body } from '../api/client';
import { type Finding, useChange, useFindingCodes, useProject, useSlug } from '../api/hooks';
import { GuideMark } from '../guide/GuideMark';
import { Dismiss } from './Dismiss';
import { LevelMark } from './marks';

const SHOWN = 5;

/** One finding, with why it matters and the fix: what it changes is shown before it is applied. */
export function FindingCard({
  finding,
  withSubject = false,
  isDraft = false,
}: {
  finding: Finding;
  withSubject?: boolean;
  /** It is of something that is not saved, so there is nothing to dismiss yet. */
  isDraft?: boolean;
}) {
  const project = useProject();
  const slug = useSlug();
  const guide = useFindingCodes().data?.find(({ code }) => code === finding.code)?.guide;
  const fix = useChange((slug, asked: NonNullable<Finding['fix']>) =>
    body(
      api.POST('/api/v1/projects/{slug}/fix', {
        params: { path: { slug } },
        body: {
          operation: asked.operation,
          arguments: asked.arguments,
          based_on: project.data?.revision.number ?? 0,
        },
      }),
    ),
  );
  return (
    <article className={`finding ${finding.level}`}>
      <div className="row">
        <LevelMark level={finding.level} />
        <h3>{finding.title}</h3>
        <span className="quiet small">{finding.level}</span>
        {guide && <GuideMark to={guide} about={finding.title} />}
      </div>
      {withSubject && <p className="mono small" style={{ overflowWrap: 'anywhere' }}>{finding.subject}</p>}
      <p className="quiet">{finding.why}</p>
      {[finding.fix, ...finding.also].map(
        (offered) =>
          offered && (
            <div key={offered.operation} className="block">
              <Changes fix={offered} />
              <div>
                <Button
                  variant={offered === finding.fix ? 'filled' : 'default'}
                  loading={fix.isPending && fix.variables === offered}
                  onClick={() => fix.mutate(offered)}
                >
                  {offered.label}
                </Button>
              </div>
            </div>
          ),
      )}
      {finding.code === 'texture.green-points-down' && (
        <div>
          <Button component={Link} to={`/p/${slug}/textures/convert`} state={{ flipGreen: true }}>
            Convert with green flipped
          </Button>
        </div>
      )}
      {!isDraft && (
        <div>
          <Dismiss finding={finding} />
        </div>
      )}
    </article>
  );
}

/** One change is of what the card is about; of several each is named. */
function Changes({ fix: { changes, others } }: { fix: NonNullable<Finding['fix']> }) {
  const left = changes.length - SHOWN + others;
  return changes.slice(0, SHOWN).map((change, index) => (
    <p key={change.what} className="small" style={{ overflowWrap: 'anywhere' }}>
      {changes.length > 1 && <>{change.what.split('/').at(-1)}: </>}
      {change.before && (
        <>
          <span className="mono">{change.before}</span> →{' '}
        </>
      )}
      <span className="mono">{change.after}</span>
      {index === SHOWN - 1 && left > 0 && <span className="quiet"> and {left.toLocaleString('en-GB')} more</span>}
    </p>
  ));
}
