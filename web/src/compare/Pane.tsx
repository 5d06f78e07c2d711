import { Button, Tooltip } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import type { PointerEvent } from 'react';

import { type Render, useChangeSetup, useProject, useSlug, type ViewChoice } from '../api/hooks';
import { displayName } from '../shared/colour';
import { usePicture } from '../shared/usePicture';
import { ViewSelects } from '../shared/ViewSelects';
import classes from './Compare.module.css';
import type { Point } from './ProbeTable';

/** The screen that a browser draws on; the pixels of other displays are shown as their numbers stand. */
const SCREEN_DISPLAY = /sRGB/;

/** One picture of the render through a view, drawn by the engine on the server. */
export function Pane({
  number,
  render,
  choice,
  exposure,
  width,
  height,
  point,
  onPoint,
  onHold,
  onChoose,
}: {
  number: number;
  render: Render;
  choice: ViewChoice;
  exposure: number;
  width: number;
  height: number;
  point: Point | undefined;
  onPoint: (point: Point) => void;
  onHold: () => void;
  onChoose: (choice: ViewChoice) => void;
}) {
  const slug = useSlug();
  const project = useProject();
  const change = useChangeSetup();
  const [steadyWidth] = useDebouncedValue(width, 200);
  const source =
    `/api/projects/${slug}/renders/${render.id}/picture?` +
    new URLSearchParams({
      display: choice.display,
      view: choice.view,
      look: choice.look,
      exposure: exposure.toFixed(2),
      size: String(Math.min(2048, Math.round(Math.max(steadyWidth, height) * window.devicePixelRatio))),
      v: `${render.image}-${render.space}-${project.data?.revision.number}`,
    });
  const picture = usePicture(source);
  const chosen = project.data?.setup.view;
  const isChosen = chosen?.display === choice.display && chosen.view === choice.view && chosen.look === choice.look;

  const pointAt = (event: PointerEvent<HTMLDivElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const along = (position: number, size: number, pixels: number) =>
      Math.min(pixels - 1, Math.max(0, Math.floor((position / size) * pixels)));
    onPoint({
      x: along(event.clientX - box.left, box.width, render.width),
      y: along(event.clientY - box.top, box.height, render.height),
    });
  };
  return (
    <figure className={classes.pane} style={{ margin: 0, width }} aria-label={`Pane ${number}`}>
      <div className={classes.picture} style={{ height, width }} onPointerMove={pointAt} onClick={onHold}>
        {picture.shown && <img src={picture.shown} alt={`${render.name} through ${choice.view} on ${choice.display}`} />}
        {picture.state === 'loading' && <span className={`${classes.waiting} small`}>computing …</span>}
        {picture.state === 'failed' && (
          <span className={`${classes.waiting} small`} role="alert">
            This view could not be drawn.
          </span>
        )}
        {picture.state === 'shown' && !SCREEN_DISPLAY.test(choice.display) && (
          <span className={`${classes.waiting} small`}>
            numbers for {displayName(choice.display)}, shown on this screen as they stand
          </span>
        )}
        {point && (
          <span
            className={classes.cross}
            style={{
              left: `${((point.x + 0.5) / render.width) * 100}%`,
              top: `${((point.y + 0.5) / render.height) * 100}%`,
            }}
          />
        )}
      </div>
      <figcaption className={classes.caption}>
        <span className="mono">{number}</span>
        <ViewSelects choice={choice} onChange={onChoose} label={`pane ${number}`} labels={false} />
        <Tooltip label={isChosen ? 'This is the project’s view' : 'Make this the project’s view'}>
          <Button
            size="xs"
            variant={isChosen ? 'filled' : 'default'}
            aria-pressed={isChosen}
            loading={change.isPending}
            onClick={() =>
              !isChosen &&
              change.mutate({ view: choice, message: `View ${choice.view} on ${displayName(choice.display)}` })
            }
          >
            {isChosen ? 'In use' : 'Use'}
          </Button>
        </Tooltip>
      </figcaption>
    </figure>
  );
}
