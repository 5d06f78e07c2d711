import { scaleLinear } from 'd3-scale';
import { line as lineOf } from 'd3-shape';
import type { KeyboardEvent, MouseEvent } from 'react';

import { figure } from '../shared/colour';
import type { SeenFrame, Series } from './useWatched';
import classes from './Watching.module.css';

type Figures = NonNullable<SeenFrame['figures']>;
type Numbered = SeenFrame & { number: number };

const WIDTH = 1000;
const HEIGHT = 54;
const STRIP = 16;
const DARKEST = 1e-5;

const CURVES: { name: string; of: (figures: Figures) => number; told: (value: number) => string }[] = [
  { name: 'peak', of: ({ peak }) => Math.log2(Math.max(peak, DARKEST)), told: (value) => figure(2 ** value) },
  { name: 'mean', of: ({ mean }) => Math.log2(Math.max(mean, DARKEST)), told: (value) => figure(2 ** value) },
  { name: 'cut off', of: ({ clipped }) => clipped, told: (value) => `${(100 * value).toFixed(1)} %` },
];

/** The frames of one name in a row, with what each is, and curves of their brightness; what jumps out is marked. */
export function FrameCurves({
  series,
  chosen,
  onChoose,
}: {
  series: Series;
  chosen: string | undefined;
  onChoose: (frame: SeenFrame) => void;
}) {
  const frames = series.frames.filter((frame): frame is Numbered => frame.number !== null);
  const [first, last] = [frames[0]?.number ?? 0, frames.at(-1)?.number ?? 0];
  const x = scaleLinear([first, last + 1], [0, WIDTH]);
  const wide = x(first + 1) - x(first);
  const at = frames.findIndex(({ name }) => name === chosen);
  const nearest = (event: MouseEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const number = x.invert(((event.clientX - box.left) / box.width) * WIDTH) - 0.5;
    return frames.reduce<Numbered | undefined>(
      (best, frame) => (best && Math.abs(best.number - number) <= Math.abs(frame.number - number) ? best : frame),
      undefined,
    );
  };
  const choose = (event: MouseEvent<SVGSVGElement>) => {
    const frame = nearest(event);
    if (frame) onChoose(frame);
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const by = { ArrowLeft: -1, ArrowRight: 1, Home: -frames.length, End: frames.length }[event.key];
    if (by === undefined) return;
    event.preventDefault();
    const next = frames[Math.max(0, Math.min(frames.length - 1, at + by))];
    if (next) onChoose(next);
  };
  const picked = frames[at];
  const shared = { viewBox: `0 0 ${WIDTH} ${HEIGHT}`, preserveAspectRatio: 'none', onClick: choose };
  return (
    <div className={classes.curves} role="group" aria-label={`Frames of ${series.stem}`} tabIndex={0} onKeyDown={onKeyDown}>
      {CURVES.map(({ name, of, told }) => {
        const known = frames.flatMap((frame) => (frame.figures ? [{ ...frame, value: of(frame.figures) }] : []));
        const values = known.map(({ value }) => value);
        const [low, high] = [Math.min(...values), Math.max(...values)];
        const y = scaleLinear([low, Math.max(high, low + 1e-3)], [HEIGHT - 5, 5]);
        const path = lineOf<(typeof known)[number]>(
          ({ number }) => x(number) + wide / 2,
          ({ value }) => y(value),
        )(known);
        return (
          <div key={name} className={classes.curve}>
            <span className="small quiet">
              {name}
              <br />
              <span className="mono">
                {values.length > 0 && `${told(low)} – ${told(high)}`}
              </span>
            </span>
            <svg {...shared} role="img" aria-label={`${name} of ${known.length} frames`} height={HEIGHT}>
              {picked && <rect x={x(picked.number)} y={0} width={wide} height={HEIGHT} className={classes.head} />}
              {path && <path d={path} className={classes.line} />}
              {known
                .filter(({ state }) => state !== 'good')
                .map(({ name: file, number, value, state }) => (
                  <path key={file} d={`M${x(number) + wide / 2},${y(value)}h0`} className={classes[`${state}Dot`]} />
                ))}
            </svg>
          </div>
        );
      })}
      <div className={classes.curve}>
        <span className="small quiet mono">
          {first}–{last}
        </span>
        <svg {...shared} viewBox={`0 0 ${WIDTH} ${STRIP}`} height={STRIP} role="img" aria-label={toldOf(series)}>
          {frames.map((frame) => (
            <rect
              key={frame.name}
              x={x(frame.number) + wide * 0.06}
              y={frame.state === 'good' ? STRIP / 2 : 0}
              width={wide * 0.88}
              height={frame.state === 'good' ? STRIP / 2 : STRIP}
              className={classes[frame.state]}
            />
          ))}
          {series.missing.map((number) => (
            <rect key={number} x={x(number)} y={2} width={wide} height={STRIP - 4} className={classes.gap} />
          ))}
          {picked && <rect x={x(picked.number)} y={0} width={wide} height={STRIP} className={classes.head} />}
        </svg>
      </div>
    </div>
  );
}

const toldOf = ({ frames, missing }: Series) => {
  const count = (state: SeenFrame['state']) => frames.filter((frame) => frame.state === state).length;
  return `${count('good')} good, ${count('attention')} to look at, ${count('blocker')} wrong, ${missing.length} missing`;
};
