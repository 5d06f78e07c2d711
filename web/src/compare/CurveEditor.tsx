import { type PointerEvent, useRef, useState } from 'react';

import plots from '../shared/plots.module.css';
import classes from './Compare.module.css';
import { slopesOf } from './drawer';

const SIZE = 200;
const STEP = 0.25;
const NUDGE = 0.01;
const NAMES = ['black', 'shadows', 'middle', 'lights', 'white'];

/** A curve through five heights, which are dragged, or moved with the arrow keys. */
export function CurveEditor({ heights, onChange }: { heights: number[]; onChange: (heights: number[]) => void }) {
  const plot = useRef<SVGSVGElement>(null);
  const [held, setHeld] = useState<number>();
  const set = (index: number, height: number) => {
    const lowest = heights[index - 1] ?? -1;
    const highest = heights[index + 1] ?? 2;
    const within = Math.min(highest, Math.max(lowest, height));
    onChange(heights.map((kept, at) => (at === index ? Number(within.toFixed(4)) : kept)));
  };
  const drag = (event: PointerEvent) => {
    const box = plot.current?.getBoundingClientRect();
    if (held === undefined || !box) return;
    set(held, 1 - (event.clientY - box.top) / box.height);
  };
  const up = (height: number) => (1 - height) * SIZE;
  return (
    <svg
      ref={plot}
      viewBox={`0 0 ${SIZE} ${SIZE}`}
      className={`${plots.plot} ${classes.curve}`}
      onPointerMove={drag}
      onPointerUp={() => setHeld(undefined)}
      onPointerLeave={() => setHeld(undefined)}
    >
      <line x1="0" y1={SIZE} x2={SIZE} y2="0" className={plots.grid} />
      <polyline className={plots.line} points={pathOf(heights).map(([x, y]) => `${x * SIZE},${up(y)}`).join(' ')} />
      {heights.map((height, index) => (
        <circle
          key={index}
          role="slider"
          tabIndex={0}
          aria-label={`Curve, ${NAMES[index]}`}
          aria-valuenow={height}
          aria-valuemin={-1}
          aria-valuemax={2}
          cx={index * STEP * SIZE}
          cy={Math.min(SIZE - 3, Math.max(3, up(height)))}
          r="5"
          className={classes.knot}
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            setHeld(index);
          }}
          onKeyDown={(event) => {
            const by = { ArrowUp: NUDGE, ArrowDown: -NUDGE }[event.key];
            if (by === undefined) return;
            event.preventDefault();
            set(index, height + by);
          }}
        />
      ))}
    </svg>
  );
}

/** The monotone cubic through the heights, as points. */
function pathOf(heights: number[]): [number, number][] {
  const slopes = slopesOf(heights);
  const points: [number, number][] = [];
  for (let at = 0; at < heights.length - 1; at++) {
    const [from = 0, to = 0, first = 0, last = 0] = [heights[at], heights[at + 1], slopes[at], slopes[at + 1]];
    for (let step = 0; step <= 12; step++) {
      const t = step / 12;
      const s = 1 - t;
      const height =
        from * (1 + 2 * t) * s * s + first * STEP * t * s * s + to * t * t * (1 + 2 * s) - last * STEP * t * t * s;
      points.push([(at + t) * STEP, height]);
    }
  }
  return points;
}
