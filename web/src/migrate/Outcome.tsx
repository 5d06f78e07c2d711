import { Button } from '@mantine/core';
import { type ReactNode, useState } from 'react';

import { api, body, tell } from '../api/client';
import { isBusy, useChange, useSlug } from '../api/hooks';
import { counted } from '../shared/marks';
import { Segments } from '../shared/Segments';
import { type Sortable, SortedTable } from '../shared/SortedTable';
import { Empty } from '../shared/states';
import classes from './Migrate.module.css';
import type { OldScene, Report } from './useOldScenes';

const PARTS = { proof: 'Proof', changes: 'Changes', documents: 'Documents', left: 'Left as it was' };
type Part = keyof typeof PARTS;

/** What a plan does to a scene, or did: pictures, numbers, every change, and the documents beside each other. */
export function Outcome({ scene }: { scene: OldScene }) {
  const [part, setPart] = useState<Part>('proof');
  const report = scene.undone ? scene.preview : (scene.report ?? scene.preview);
  if (!report) {
    return (
      <Empty>
        <p>
          {isBusy(scene.job)
            ? 'The scene is being read.'
            : 'Choose steps and preview them: the materials before and after, every number that changes, and whether the light stays the same.'}
        </p>
      </Empty>
    );
  }
  return (
    <>
      <Head scene={scene} report={report} />
      {report.balls && (
        <Beside scene={scene} of={report.balls} named="The materials" pictures={BALLS}>
          {report.balls.names.join(', ')}
        </Beside>
      )}
      {report.frame && (
        <Beside scene={scene} of={report.frame} named={report.frame.name} pictures={FRAME}>
          {report.frame.name}, the first rescued frame
        </Beside>
      )}
      <Segments
        aria-label="Part of the report"
        value={part}
        onChange={(value) => setPart(value as Part)}
        data={Object.entries(PARTS).map(([value, label]) => ({ value, label: `${label} ${countOf(report, value as Part)}` }))}
        style={{ alignSelf: 'flex-start', flex: 'none' }}
      />
      {part === 'proof' && <SortedTable label="Proof" rows={report.proof} columns={PROOF} />}
      {part === 'changes' && <SortedTable label="Changes" rows={report.changes} columns={CHANGES} />}
      {part === 'documents' && <Documents report={report} />}
      {part === 'left' && <Left report={report} />}
    </>
  );
}

function countOf(report: Report, part: Part): number {
  return { proof: report.inputs, changes: report.count, documents: report.differences.length, left: report.left.length }[part];
}

function Head({ scene, report }: { scene: OldScene; report: Report }) {
  const slug = useSlug();
  const back = useChange((of) =>
    body(api.POST('/api/v1/projects/{slug}/old-scenes/{id}/go-back', { params: { path: { slug: of, id: scene.id } } })),
  );
  const isDone = scene.report !== null && scene.undone === null;
  const address = `/api/v1/projects/${slug}/old-scenes/${scene.id}`;
  return (
    <div className="block">
      <div className="row spread wrap">
        <h2>{isDone ? 'Migrated' : scene.undone ? 'Gone back; the preview' : 'Preview, nothing is written'}</h2>
        <div className="row">
          <Button component="a" href={`${address}/page`} target="_blank">
            Report
          </Button>
          {isDone && (
            <>
              <Button component="a" href={`${address}/files`} download>
                Save as zip
              </Button>
              <Button
                variant="subtle"
                loading={back.isPending}
                onClick={() => back.mutate(undefined, { onSuccess: ({ told }) => tell(told.join(' '), 'Gone back') })}
              >
                Go back
              </Button>
            </>
          )}
        </div>
      </div>
      <p role="status">
        {report.same} of {counted(report.inputs, 'input')} give the same light
        {report.same < report.inputs && '; the others differ on purpose or are told below'}.
      </p>
      {isDone && <p className="small quiet mono">{report.folder}</p>}
      {back.error && <p role="alert">{back.error.message}</p>}
    </div>
  );
}

const WHITE = 'difference, white is ΔE 20';
const BALLS = { before: 'before', after: 'after', difference: WHITE };
const FRAME = { 'frame-before': 'as it was', 'frame-after': 'its light through the view once more', 'frame-difference': WHITE };

/** Pictures of one thing before and after, and how far they are apart. */
function Beside(props: {
  scene: OldScene;
  of: { mean: number; worst: number };
  named: string;
  pictures: Record<string, string>;
  children: ReactNode;
}) {
  const slug = useSlug();
  const { mean, worst } = props.of;
  const source = (name: string) =>
    `/api/v1/projects/${slug}/old-scenes/${props.scene.id}/picture/${name}?of=${encodeURIComponent(`${mean} ${worst}`)}`;
  return (
    <div className="block">
      <div className={classes.pictures}>
        {Object.entries(props.pictures).map(([name, label]) => (
          <figure key={name} className="plate">
            <img src={source(name)} alt={`${props.named}, ${label.split(',')[0]}`} />
            <figcaption className={classes.caption}>{label}</figcaption>
          </figure>
        ))}
      </div>
      <span className="small quiet">
        {props.children}: mean ΔE {mean.toFixed(2)}, worst {worst.toFixed(2)}
      </span>
    </div>
  );
}

const percent = (share: number) => `${(share * 100).toFixed(share < 0.01 ? 2 : 0)} %`;

type ProofRow = Report['proof'][number];
type ChangeRow = Report['changes'][number];

const PROOF: Sortable<ProofRow>[] = [
  {
    title: 'Input',
    by: ({ of }) => of,
    shown: ({ document, of, why }) => (
      <div title={document}>
        {of}
        {why && <div className="quiet">{why}</div>}
      </div>
    ),
    className: classes.of,
  },
  { title: 'Mean before', by: ({ before }) => before[1], shown: ({ before }) => before[1]?.toPrecision(4), className: 'mono' },
  { title: 'after', by: ({ after }) => after[1], shown: ({ after }) => after[1]?.toPrecision(4), className: 'mono' },
  {
    title: 'Largest difference',
    by: ({ largest }) => largest,
    shown: ({ same, largest }) => (same ? 'same' : percent(largest)),
    className: 'mono',
  },
];

const CHANGES: Sortable<ChangeRow>[] = [
  {
    title: 'Of',
    by: ({ of }) => of,
    shown: ({ document, of, why, lost }) => (
      <div title={document}>
        {of}
        <div className="quiet">
          {why} {lost}
        </div>
      </div>
    ),
    className: classes.of,
  },
  { title: 'Before', by: ({ before }) => before, shown: ({ before }) => before, className: `mono ${classes.of}` },
  { title: 'After', by: ({ after }) => after, shown: ({ after }) => after, className: `mono ${classes.of}` },
];

function Documents({ report }: { report: Report }) {
  return report.differences.map(({ document, diff, problems }) => (
    <section key={document} className="block" aria-label={document}>
      <h3>{document}</h3>
      {problems.map((problem) => (
        <p key={problem} role="alert">
          {problem}
        </p>
      ))}
      <pre className={classes.diff} tabIndex={0}>
        {diff.split('\n').map((line, number) => (
          <span key={number} className={line.startsWith('+') ? classes.added : line.startsWith('-') ? classes.removed : ''}>
            {line}
            {'\n'}
          </span>
        ))}
      </pre>
    </section>
  ));
}

function Left({ report }: { report: Report }) {
  if (report.left.length === 0) return <p className="small">Nothing was left out.</p>;
  return (
    <ul className="small" aria-label="Left as it was">
      {report.left.map(({ step, document, of, why }) => (
        <li key={`${step} ${document} ${of} ${why}`}>
          <span className="mono">{of}</span> <span className="quiet">{why}</span>
        </li>
      ))}
    </ul>
  );
}
