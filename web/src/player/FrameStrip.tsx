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
  const known = new Map(frames.map((frame) => [frame.number, frame]));
  const numbers = Array.from({ length: Math.floor((last - first) / step) + 1 }, (_, index) => first + index * step);
  const choose = (event: MouseEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const number = x.invert(((event.clientX - box.left) / box.width) * WIDTH);
    onChoose(Math.min(last, first + Math.floor((number - first) / step) * step));
  };
  const cell = (number: number) => ({ x: x(number) + 0.5, y: HEIGHT - FOOT, width: Math.max(0.5, wide - 1), height: FOOT });
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      preserveAspectRatio="none"
      className={classes.strip}
      role="img"
      aria-label={`Peak of each frame, up to ${most.toPrecision(3)}; ${ready.size} frames loaded`}
      onClick={choose}
    >
      {numbers.map((number) => {
        const frame = known.get(number);
        if (!frame) {
          return (
            <rect key={number} {...cell(number)} className={classes.gap}>
              <title>Frame {number} is missing</title>
            </rect>
          );
        }
        if (frame.reason) {
          return (
            <rect key={number} {...cell(number)} className={classes.broken}>
              <title>{frame.reason}</title>
            </rect>
          );
        }
        return <rect key={number} {...cell(number)} className={ready.has(number) ? classes.cached : classes.uncached} />;
      })}
      {path && <path d={path} className={classes.peaks} />}
      <rect x={x(at) + wide / 2 - 1.5} y={0} width={3} height={HEIGHT} className={classes.head} />
    </svg>
  );
}
