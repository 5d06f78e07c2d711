import { Button, Tooltip } from '@mantine/core';

import { useChangeSetup, useProject, type ViewChoice } from '../api/hooks';
import { displayName } from '../shared/colour';
import { ViewSelects } from '../shared/ViewSelects';
import classes from './Compare.module.css';
import { Frame, type FrameHandlers } from './Frame';
import { LivePicture, type LiveProps } from './LivePicture';
import type { Point } from './ProbeTable';

/** The screen that a browser draws on; the numbers of other displays are shown as they stand. */
const SCREEN_DISPLAY = /sRGB/;

/** One picture of the render through a view, with the view's choice below it. */
export function Pane({
  number,
  render,
  choice,
  exposure,
  width,
  height,
  window,
  marks,
  grade,
  point,
  handlers,
  onChoose,
  onRemove,
}: LiveProps & {
  number: number;
  point: Point | undefined;
  handlers: FrameHandlers;
  onChoose: (choice: ViewChoice) => void;
  onRemove: (() => void) | undefined;
}) {
  const project = useProject();
  const change = useChangeSetup();
  const chosen = project.data?.setup.view;
  const isChosen = chosen?.display === choice.display && chosen.view === choice.view && chosen.look === choice.look;
  return (
    <figure className={classes.pane} style={{ margin: 0, width }} aria-label={`Pane ${number}`}>
      <Frame render={render} width={width} height={height} window={window} point={point} handlers={handlers}>
        <LivePicture {...{ render, choice, exposure, width, height, window, marks, grade }} />
        {!SCREEN_DISPLAY.test(choice.display) && (
          <span className={`${classes.note} small`}>
            numbers for {displayName(choice.display)}, shown on this screen as they stand
          </span>
        )}
      </Frame>
      <figcaption className={classes.caption}>
        <span className="mono">{number}</span>
        <ViewSelects choice={choice} onChange={onChoose} label={`pane ${number}`} labels={false} />
        <span className="row" style={{ gap: 4 }}>
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
          {onRemove && (
            <Button size="compact-xs" variant="subtle" aria-label={`Take pane ${number} away`} onClick={onRemove}>
              ×
            </Button>
          )}
        </span>
      </figcaption>
    </figure>
  );
}
