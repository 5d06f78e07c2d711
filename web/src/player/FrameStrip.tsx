import { scaleLinear, scaleSymlog } from 'd3-scale';
import { line as lineOf } from 'd3-shape';
import type { MouseEvent } from 'react';

import type { Schemas } from '../api/client';
import classes from './Player.module.css';

type Frame = Schemas['Frame'];

const WIDTH = 1000;
const HEIGHT = 44;
const FOOT = 10;

/** The frames of a sequence in a row: which are loaded, missing or broken, and how bright the brightest pixel of each is. */
export function FrameStrip({
  frames,
  sequence,
  ready,
  at,
  onChoose,
}: {
  frames: Frame[];
  sequence: Schemas['Sequence'];
  ready: Set<number>;
  at: number;
  onChoose: (number: number) => void;
}) {
  const { first, last, step } = sequence;
  const x = scaleLinear([first, last + step], [0, WIDTH]);
  const wide = Math.max(1, x(first + step) - x(first));
  const peaks = frames.filter(({ peak }) => peak !== null);
  const most = Math.max(1, ...peaks.map(({ peak }) => peak ?? 0));
  const y = scaleSymlog([0, most], [HEIGHT - FOOT - 3, 4]).constant(1);
  const path = lineOf<Frame>(
    ({ number }) => x(number) + wide / 2,
    ({ peak }) => y(peak ?? 0),
  )(peaks);
  const runs = runsOf(frames, sequence, ready);
  const choose = (event: MouseEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const number = x.invert(((event.clientX - box.left) / box.width) * WIDTH);
    onChoose(Math.min(last, first + Math.floor((number - first) / step) * step));
  };
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      preserveAspectRatio="none"
      className={classes.strip}
      role="img"
      aria-label={`Peak of each frame, up to ${most.toPrecision(3)}; ${ready.size} frames loaded`}
      onClick={choose}
    >
      {runs.map(({ state, from, to, title }) => (
        <rect
          key={from}
          x={x(from) + 0.5}
          y={HEIGHT - FOOT}
          width={Math.max(0.5, x(to + step) - x(from) - 1)}
          height={FOOT}
          className={classes[state]}
        >
          {title && <title>{title}</title>}
        </rect>
      ))}
      {path && <path d={path} className={classes.peaks} />}
      <rect x={x(at) + wide / 2 - 1.5} y={0} width={3} height={HEIGHT} className={classes.head} />
    </svg>
  );
}

interface Run {
  state: 'cached' | 'uncached' | 'gap' | 'broken';
  from: number;
  to: number;
  title: string;
}

/** Frames beside each other of which the same is to be said: a long sequence would be too many marks to draw. */
function runsOf(frames: Frame[], { first, last, step }: Schemas['Sequence'], ready: Set<number>): Run[] {
  const runs: Run[] = [];
  const add = (run: Run) => {
    const before = runs.at(-1);
    if (before?.state === run.state && before.title === run.title) before.to = run.to;
    else runs.push(run);
  };
  const gap = (from: number, to: number) => {
    const title = from === to ? `Frame ${from} is missing` : `Frames ${from} to ${to} are missing`;
    if (from <= to) add({ state: 'gap', from, to, title });
  };
  let next = first;
  for (const { number, reason } of frames) {
    gap(next, number - step);
    add({ state: reason ? 'broken' : ready.has(number) ? 'cached' : 'uncached', from: number, to: number, title: reason });
    next = number + step;
  }
  gap(next, last);
  return runs;
}
