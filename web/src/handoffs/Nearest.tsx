import { Button } from '@mantine/core';
import { scaleLinear } from 'd3-scale';
import { line as lineOf } from 'd3-shape';

import type { Schemas } from '../api/client';
import { figure } from '../shared/colour';
import { DASHES, Dash } from '../shared/plots';
import plots from '../shared/plots.module.css';

const SIZE = 200;
const CHANNELS = ['red', 'green', 'blue'];

/** What comes nearest to something that is not known: three curves after a matrix. */
export function Nearest({ nearest, lut }: { nearest: NonNullable<Schemas['Explanation']['nearest']>; lut: string }) {
  const x = scaleLinear([0, (nearest.curves[0]?.length ?? 2) - 1], [0, SIZE]);
  const y = scaleLinear([0, 1], [SIZE, 0]);
  const path = lineOf<number>(
    (_, at) => x(at),
    (value) => y(value),
  );
  return (
    <div className="row wrap" style={{ alignItems: 'flex-start', gap: 16 }} role="group" aria-label="What comes nearest">
      <figure style={{ margin: 0, width: SIZE }}>
        <svg viewBox={`0 0 ${SIZE} ${SIZE}`} className={plots.plot} role="img" aria-label="Curves from expected to found">
          <path d={`M0,${SIZE}L${SIZE},0`} className={plots.grid} />
          {nearest.curves.map((curve, index) => (
            <path key={CHANNELS[index]} d={path(curve) ?? ''} className={plots.line} strokeDasharray={DASHES[index]} />
          ))}
        </svg>
        <figcaption className={`${plots.legend} small quiet`}>
          {CHANNELS.map((name, index) => (
            <span key={name} className="row">
              <Dash index={index} /> {name}
            </span>
          ))}
        </figcaption>
      </figure>
      <div className="block small">
        <span>A matrix and three curves come nearest. What it is stays unknown.</span>
        <table className="mono" aria-label="Matrix">
          <tbody>
            {nearest.matrix.map((row, index) => (
              <tr key={CHANNELS[index]}>
                {row.map((value, column) => (
                  <td key={CHANNELS[column]} style={{ paddingRight: 12 }}>
                    {figure(value)}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
        <span className="quiet">They leave {(100 * nearest.off).toFixed(1)} % of white, root mean square.</span>
        <Button size="compact-xs" component="a" href={lut} download>
          Save as LUT (CLF)
        </Button>
      </div>
    </div>
  );
}
