import { Button, Tooltip } from '@mantine/core';

import { useChangeSetup, useProject } from '../api/hooks';
import { displayName } from '../shared/colour';
import { ViewSelects } from '../shared/ViewSelects';
import classes from './Compare.module.css';
import { Frame, type FrameHandlers, type Standing } from './Frame';
import { LivePicture, type LiveProps } from './LivePicture';
import { OwnChoice, ownWords } from './OwnChoice';
import { captionOf, type PaneState } from './shown';

/** One picture through a view, with the choice of view below it, and of what the pane has of its own. */
export function Pane({
  number,
  pane,
  gone,
  space,
  standing,
  handlers,
  onChange,
  onRemove,
  ...picture
}: LiveProps & {
  number: number;
  pane: PaneState;
  /** What the pane showed before it went away. */
  gone: string;
  /** The room for the picture, which has a shape of its own. */
  space: { width: number; height: number };
  standing: Standing;
  handlers: FrameHandlers;
  onChange: (pane: PaneState) => void;
  onRemove: (() => void) | undefined;
}) {
  const project = useProject();
  const change = useChangeSetup();
  const chosen = project.data?.setup.view;
  const { choice } = picture.shown;
  const isChosen = chosen?.display === choice.display && chosen.view === choice.view && chosen.look === choice.look;
  const own = ownWords(pane, picture.shown);
  return (
    <figure
      className={classes.pane}
      style={{ margin: 0, width: space.width }}
      aria-label={`Pane ${number}`}
      data-caption={captionOf(picture.shown, project.data?.setup.working_space ?? '')}
    >
      <div className={classes.mat} style={{ height: space.height }}>
        <Frame {...picture} standing={standing} handlers={handlers}>
          <LivePicture {...picture} />
        </Frame>
      </div>
      <figcaption className={classes.caption}>
        <span className="mono">{number}</span>
        <ViewSelects choice={choice} onChange={(next) => onChange({ ...pane, ...next })} label={`pane ${number}`} labels={false} />
        <span className="row" style={{ gap: 4 }}>
          <OwnChoice number={number} pane={pane} shown={picture.shown} onChange={onChange} />
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
        {own && <span className={`${classes.own} small`}>{own}</span>}
        {gone && (
          <span className={`${classes.own} small`} role="status">
            The config or project no longer has {gone}. This is shown instead.
          </span>
        )}
      </figcaption>
    </figure>
  );
}
