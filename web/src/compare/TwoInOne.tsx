import { Slider } from '@mantine/core';
import { useState } from 'react';

import type { ViewChoice } from '../api/hooks';
import { displayName } from '../shared/colour';
import classes from './Compare.module.css';
import { Frame, type FrameHandlers } from './Frame';
import { LivePicture, type LiveProps } from './LivePicture';
import type { Point } from './ProbeTable';

export type Overlay = 'wipe' | 'flip' | 'difference';

const GAINS = [1, 4, 16, 64];

/** Two panes in one frame: wiped at an angle, flipped by a key, or as their difference. */
export function TwoInOne({
  overlay,
  render,
  panes,
  flipped,
  exposure,
  width,
  height,
  window,
  marks,
  grade,
  point,
  handlers,
}: Omit<LiveProps, 'choice'> & {
  overlay: Overlay;
  panes: [ViewChoice, ViewChoice];
  flipped: boolean;
  point: Point | undefined;
  handlers: FrameHandlers;
}) {
  const [angle, setAngle] = useState(0);
  const [at, setAt] = useState(50);
  const [gain, setGain] = useState(2);
  const common = { render, exposure, width, height, window, marks, grade };
  const top = overlay === 'flip' ? flipped : true;
  const style =
    overlay === 'wipe'
      ? { clipPath: halfPlane(angle, at) }
      : overlay === 'difference'
        ? { mixBlendMode: 'difference' as const }
        : undefined;
  const name = (choice: ViewChoice) => `${choice.view} on ${displayName(choice.display)}`;
  return (
    <figure className={classes.pane} style={{ margin: 0, width }} aria-label="Both panes">
      <Frame render={render} width={width} height={height} window={window} point={point} handlers={handlers}>
        <span
          className={classes.stack}
          style={overlay === 'difference' ? { filter: `brightness(${GAINS[gain] ?? 1})` } : undefined}
        >
          <span className={classes.layer}>
            <LivePicture {...common} choice={panes[0]} />
          </span>
          {top && (
            <span className={classes.layer} style={style}>
              <LivePicture {...common} choice={panes[1]} />
            </span>
          )}
        </span>
      </Frame>
      <figcaption className={classes.below}>
        {overlay === 'wipe' && (
          <>
            <span className="small">1 {name(panes[0])}</span>
            <Slider aria-label="Wipe" thumbLabel="Wipe" value={at} onChange={setAt} label={null} />
            <Slider
              aria-label="Angle of the wipe"
              thumbLabel="Angle of the wipe"
              min={-90}
              max={90}
              value={angle}
              onChange={setAngle}
              label={null}
            />
            <span className="small">{name(panes[1])} 2</span>
          </>
        )}
        {overlay === 'flip' && (
          <span className="small" role="status">
            {flipped ? `2 ${name(panes[1])}` : `1 ${name(panes[0])}`}
          </span>
        )}
        {overlay === 'difference' && (
          <>
            <span className="small">Difference of the code values on this screen</span>
            <Slider
              aria-label="Gain of the difference"
              thumbLabel="Gain of the difference"
              min={0}
              max={GAINS.length - 1}
              value={gain}
              onChange={setGain}
              label={null}
            />
            <span className="mono small">× {GAINS[gain]}</span>
          </>
        )}
      </figcaption>
    </figure>
  );
}

/** The part of a frame to the right of a line through it, as a polygon: the line stands at `at` per cent, turned by
 * `angle` degrees from upright. */
function halfPlane(angle: number, at: number): string {
  const slope = Math.tan((Math.min(89, Math.max(-89, angle)) * Math.PI) / 180) * 50;
  const corners = [
    [at + slope, 0],
    [300, -100],
    [300, 200],
    [at - slope, 100],
  ];
  return `polygon(${corners.map(([x, y]) => `${x}% ${y}%`).join(', ')})`;
}
