import { Button, Tooltip } from '@mantine/core';
import { memo } from 'react';

import { useChangeSetup, useProject, type ViewChoice } from '../api/hooks';
import { displayName } from '../shared/colour';
import { LookSelect, ViewPair } from '../shared/ViewSelects';
import classes from './Compare.module.css';
import { Frame, type FrameHandlers, type Standing } from './Frame';
import { LivePicture, type LiveProps } from './LivePicture';
import { OwnChoice, ownWords } from './OwnChoice';
import { captionOf, type PaneState, type Shown } from './shown';

interface ChoiceProps {
  /** From 0. */
  index: number;
  pane: PaneState;
  /** What the pane showed before it went away. */
  gone: string;
  render: Shown['render'];
  layer: string;
  onChange: (index: number, pane: PaneState) => void;
  /** Left out for the only pane. */
  onRemove: ((index: number) => void) | undefined;
}

/** One picture through a view, with the choice of view below it, and of what the pane has of its own. */
export function Pane({
  index,
  pane,
  gone,
  space,
  standing,
  handlers,
  onChange,
  onRemove,
  ...picture
}: LiveProps &
  Pick<ChoiceProps, 'index' | 'pane' | 'gone' | 'onChange' | 'onRemove'> & {
    /** The room for the picture, which has a shape of its own. */
    space: { width: number; height: number };
    standing: Standing;
    handlers: FrameHandlers;
  }) {
  const project = useProject();
  const { shown } = picture;
  return (
    <figure
      className={classes.pane}
      style={{ margin: 0, width: space.width }}
      aria-label={`Pane ${index + 1}`}
      data-caption={captionOf(shown, project.data?.setup.working_space ?? '')}
    >
      <div className={classes.mat} style={{ height: space.height }}>
        <Frame {...picture} standing={standing} handlers={handlers}>
          <LivePicture {...picture} />
        </Frame>
      </div>
      <PaneChoice {...{ index, pane, gone, onChange, onRemove }} render={shown.render} layer={shown.layer} />
    </figure>
  );
}

/** What a pane shows, to be chosen. It stays as it is while the picture alone changes: an exposure is seen at once. */
const PaneChoice = memo(function PaneChoice({ index, pane, gone, render, layer, onChange, onRemove }: ChoiceProps) {
  const project = useProject();
  const change = useChangeSetup();
  const chosen = project.data?.setup.view;
  const { display, view, look } = pane;
  const isChosen = chosen?.display === display && chosen.view === view && chosen.look === look;
  const own = ownWords(pane, { render, layer });
  const number = index + 1;
  const naming = {
    choice: { display, view, look },
    onChange: (next: ViewChoice) => onChange(index, { ...pane, ...next }),
    label: `pane ${number}`,
    labels: false,
  };
  return (
    <figcaption className={classes.caption}>
      <span className="mono">{number}</span>
      <span className={classes.choice}>
        <ViewPair {...naming} />
      </span>
      <span className={classes.actions}>
        <LookSelect {...naming} />
        <span className="row" style={{ gap: 4, justifyContent: 'flex-end' }}>
          <OwnChoice {...{ number, pane, render, layer }} onChange={(next) => onChange(index, next)} />
          <Tooltip label={isChosen ? 'Project view' : 'Make project view'}>
            <Button
              size="xs"
              variant={isChosen ? 'filled' : 'default'}
              aria-pressed={isChosen}
              loading={change.isPending}
              onClick={() =>
                !isChosen &&
                change.mutate({ view: { display, view, look }, message: `View ${view} on ${displayName(display)}` })
              }
            >
              {isChosen ? 'Project view' : 'Make project view'}
            </Button>
          </Tooltip>
          {onRemove && (
            <Button
              size="compact-xs"
              variant="subtle"
              aria-label={`Remove pane ${number}`}
              onClick={() => onRemove(index)}
            >
              ×
            </Button>
          )}
        </span>
      </span>
      {own && <span className={`${classes.own} small`}>{own}</span>}
      {gone && (
        <span className={`${classes.own} small`} role="status">
          The config or project no longer has {gone}. This is shown instead.
        </span>
      )}
    </figcaption>
  );
});
