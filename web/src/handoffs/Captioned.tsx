import type { ReactNode } from 'react';

import type { Schemas } from '../api/client';
import classes from './Chain.module.css';

/** A picture on the plate, with words below it, and rings around the spots that are worst. */
export function Captioned({
  source,
  spots = [],
  children,
}: {
  source: string;
  spots?: Schemas['WorstSpot'][];
  children: ReactNode;
}) {
  return (
    <figure>
      <div className="plate">
        <div className={classes.spotted}>
          <img src={source} alt="" />
          {spots.map(({ x, y, de }) => (
            <span key={`${x} ${y}`} style={{ left: `${100 * x}%`, top: `${100 * y}%` }} title={`ΔE ${de.toFixed(1)}`} />
          ))}
        </div>
      </div>
      <figcaption className="small">{children}</figcaption>
    </figure>
  );
}
