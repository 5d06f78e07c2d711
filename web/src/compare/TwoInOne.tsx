import { Slider } from '@mantine/core';
import { useState } from 'react';

import { useProject } from '../api/hooks';
import classes from './Compare.module.css';
import { DeltaMap } from './DeltaMap';
import { Frame, type FrameHandlers, type Standing } from './Frame';
import { LivePicture, type LiveProps } from './LivePicture';
import { captionOf, type PaneState, type Shown, viewName } from './shown';
import { Segments } from '../shared/Segments';

export type Overlay = 'wipe' | 'flip' | 'difference';

const GAINS = [1, 4, 16, 64];

/** Two panes in one frame: wiped at an angle, flipped by a key, or as their difference. */
export function TwoInOne({
  overlay,
  panes,
  states,
  common,
  flipped,
  standing,
  handlers,
  ...size
}: Omit<LiveProps, 'shown'> & {
  overlay: Overlay;
  panes: [Shown, Shown];
  states: [PaneState, PaneState];
  common: { render: number; exposure: number };
  flipped: boolean;
  standing: Standing;
  handlers: FrameHandlers;
}) {
  const project = useProject();
  const [angle, setAngle] = useState(0);
  const [at, setAt] = useState(50);
  const [gain, setGain] = useState(2);
  const [perceived, setPerceived] = useState(false);
  const working = project.data?.setup.working_space ?? '';
  const isMap = overlay === 'difference' && perceived;
  const top = overlay === 'flip' ? flipped : true;
  const style =
    overlay === 'wipe'
      ? { clipPath: halfPlane(angle, at) }
      : overlay === 'difference'
        ? { mixBlendMode: 'difference' as const }
        : undefined;
  const captions = panes.map((shown) => captionOf(shown, working));
  const caption = {
    wipe: captions.join('  |  '),
    flip: captions[flipped ? 1 : 0] ?? '',
    difference: `${isMap ? 'ΔE' : `Difference × ${GAINS[gain]}`}: ${captions.join('  −  ')}`,
  }[overlay];
  return (
    <figure className={classes.pane} style={{ margin: 0, width: size.width }} aria-label="Both panes" data-caption={caption}>
      <Frame {...size} standing={standing} handlers={handlers}>
        {isMap ? (
          <DeltaMap states={states} common={common} {...size} />
        ) : (
          <span
            className={classes.stack}
            style={overlay === 'difference' ? { filter: `brightness(${GAINS[gain] ?? 1})` } : undefined}
          >
            <span className={classes.layer}>
              <LivePicture {...size} shown={panes[0]} silent={overlay !== 'flip'} />
            </span>
            {top && (
              <span className={classes.layer} style={style}>
                <LivePicture {...size} shown={panes[1]} silent={overlay !== 'flip'} />
              </span>
            )}
          </span>
        )}
      </Frame>
      <figcaption className={classes.below}>
        {overlay === 'wipe' && (
          <>
            <span className="small">1 {viewName(panes[0].choice)}</span>
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
            <span className="small">{viewName(panes[1].choice)} 2</span>
          </>
        )}
        {overlay === 'flip' && (
          <span className="small" role="status">
            {flipped ? `2 ${viewName(panes[1].choice)}` : `1 ${viewName(panes[0].choice)}`}
          </span>
        )}
        {overlay === 'difference' && (
          <>
            <Segments
              aria-label="Difference of what"
              value={perceived ? 'seen' : 'codes'}
              onChange={(value) => setPerceived(value === 'seen')}
              data={[
                { value: 'codes', label: 'Code values' },
                { value: 'seen', label: 'ΔE' },
              ]}
            />
            {!perceived && (
              <>
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
