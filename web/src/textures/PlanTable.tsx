import type { Schemas } from '../api/client';
import { counted, LevelMark } from '../shared/marks';
import { baseName, megabytes } from '../shared/numbers';
import { type Sortable, SortedTable } from '../shared/SortedTable';
import classes from './Textures.module.css';

type Planned = Schemas['PlannedFile'];

/** Above this part of a step of the source, a difference can be seen in its own bits. */
const SEEN = 0.5;

const COLUMNS: Sortable<Planned>[] = [
  {
    title: 'File',
    by: ({ path }) => baseName(path),
    shown: (file) => (
      <>
        <span title={file.path}>{baseName(file.path)}</span>
        <div className="quiet small">
          {file.source_space === file.space ? `${file.space}, as it is` : `${file.source_space} → ${file.space}`}
        </div>
        {file.notes.map((said) => (
          <div key={said} className="row small">
            <LevelMark level="note" /> {said}
          </div>
        ))}
        {losses(file).map((said) => (
          <div key={said} className="row small">
            <LevelMark level="caution" /> {said}
          </div>
        ))}
      </>
    ),
    className: classes.anywhere,
  },
  {
    title: 'Becomes',
    by: ({ target }) => baseName(target),
    shown: ({ target }) => <span title={target}>{baseName(target)}</span>,
    className: `mono small ${classes.anywhere}`,
  },
  { title: 'Clips', by: ({ clipped }) => clipped ?? 0, shown: ({ clipped }) => <Share part={clipped} />, className: 'mono small' },
  { title: 'Outside gamut', by: ({ negative }) => negative ?? 0, shown: ({ negative }) => <Share part={negative} />, className: 'mono small' },
  { title: 'Precision lost', by: ({ steps, lost }) => steps ?? lost ?? undefined, shown: (file) => <Lost file={file} />, className: 'mono small' },
  { title: 'Size', by: ({ bytes }) => bytes, shown: ({ bytes }) => megabytes(bytes), className: `mono small ${classes.oneLine}` },
];

const refusal = ({ refused }: Planned) =>
  refused && (
    <span className="row small">
      <LevelMark level="blocker" /> {refused}
    </span>
  );

/** What a conversion would do to each file, the doubtful first. */
export function PlanTable({ plan }: { plan: Schemas['Plan'] }) {
  return (
    <>
      <h2>Preview</h2>
      <p role="status">
        {counted(plan.count - plan.refused, 'file')}, up to {megabytes(plan.bytes)} of the {megabytes(plan.bytes_free)} that are
        free. {plan.clipped > 0 && `${plan.clipped.toLocaleString('en-GB')} with values that clip. `}
        {plan.outside > 0 && `${plan.outside.toLocaleString('en-GB')} with values outside the gamut. `}
        {plan.refused > 0 && `${plan.refused.toLocaleString('en-GB')} cannot be converted.`}
      </p>
      <p className="quiet small">
        Estimated from a sample of each file’s pixels; every number is checked after writing.
        {plan.files.length < plan.count && ` These ${plan.files.length} lose most.`}
      </p>
      <SortedTable label="Plan" rows={plan.files} columns={COLUMNS} instead={refusal} />
    </>
  );
}

/** What else does not come through as it is, in sentences. */
function losses(file: Planned) {
  const said = [];
  if (file.hidden) said.push(`Colour under alpha 0 is lost: ${percent(file.hidden)} of the samples.`);
  if (file.not_finite) said.push(`NaN and infinite values become black or white: ${percent(file.not_finite)} of the samples.`);
  return said;
}

const percent = (part: number) => `${(part * 100).toPrecision(2)} %`;

function Share({ part }: { part: number | null }) {
  if (!part) return 'none';
  return (
    <span className="row">
      <LevelMark level="caution" /> {(part * 100).toFixed(1)} %
    </span>
  );
}

function Lost({ file: { lost, steps, bit_depth: depth } }: { file: Planned }) {
  if (lost === null) return 'no way back';
  if (steps === null) return lost === 0 ? 'none' : `${(lost * 100).toPrecision(1)} %`;
  if (steps < 0.01) return 'none';
  return (
    <span className="row" title={steps > SEEN ? 'Some values do not come back as they were' : undefined}>
      {steps > SEEN && <LevelMark level="note" />} {steps.toFixed(2)} steps of {depth}
    </span>
  );
}
