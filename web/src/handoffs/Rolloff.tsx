import { scaleLog } from 'd3-scale';
import { line as lineOf } from 'd3-shape';

import type { Schemas } from '../api/client';
import { figure } from '../shared/colour';
import plots from '../shared/plots.module.css';

const SIZE = 200;
const TICKS = [0.1, 1, 10];

/** What became of scene-linear values above a knee: the curve beside values that stay as they are. */
export function Rolloff({ rolloff }: { rolloff: NonNullable<Schemas['Explanation']['rolloff']> }) {
  const ends = [rolloff.values[0] ?? 0.02, rolloff.values.at(-1) ?? 64];
  const x = scaleLog(ends, [0, SIZE]);
  const y = scaleLog(ends, [SIZE, 0]);
  const path = lineOf<number>(
    (_, at) => x(rolloff.values[at] ?? 1),
    (value) => y(Math.max(value, ends[0] ?? value)),
  );
  return (
    <figure style={{ margin: 0, width: SIZE }}>
      <svg viewBox={`0 0 ${SIZE} ${SIZE}`} className={plots.plot} role="img" aria-label="What became of scene-linear values">
        <path d={`M0,${SIZE}L${SIZE},0`} className={plots.grid} />
        {TICKS.map((tick) => (
          <g key={tick}>
            <path d={`M${x(tick)},${SIZE}v-5M0,${y(tick)}h5`} className={plots.grid} />
            <text x={x(tick) + 3} y={SIZE - 4}>
              {tick}
            </text>
            <text x={8} y={y(tick) + 4}>
              {tick}
            </text>
          </g>
        ))}
        <path d={path(rolloff.became) ?? ''} className={plots.line} />
      </svg>
      <figcaption className="small quiet">
        Scene-linear values, and what they became: compressed from {figure(rolloff.knee)}
      </figcaption>
    </figure>
  );
}
