import type { ReactNode } from 'react';

import type { Schemas } from '../api/client';
import classes from './Chain.module.css';

/** A picture on the plate, with words below it, rings around the spots that are worst, and boxes around places. */
export function Captioned({
  source,
  spots = [],
  boxes = [],
  children,
}: {
  source: string;
  spots?: Schemas['WorstSpot'][];
  boxes?: Schemas['BoxInPicture'][];
  children: ReactNode;
}) {
  return (
    <figure>
      <div className="plate">
        <div className={classes.spotted}>
          <img src={source} alt="" />
          {spots.map(({ x, y, de }) => (
            <span key={`${x} ${y}`} className={classes.ring} style={{ left: `${100 * x}%`, top: `${100 * y}%` }} title={`ΔE ${de.toFixed(1)}`} />
          ))}
          {boxes.map((box) => (
            <span
              key={Object.values(box).join()}
              className={classes.box}
              style={Object.fromEntries(Object.entries(box).map(([side, part]) => [side, `${100 * part}%`]))}
            />
          ))}
        </div>
      </div>
      <figcaption className="small">{children}</figcaption>
    </figure>
  );
}
