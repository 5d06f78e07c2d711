import { useConfig, useProject } from '../api/hooks';
import { displayName } from '../shared/colour';
import classes from './Compare.module.css';
import { Frame, type FrameHandlers, type Standing } from './Frame';
import { LivePicture, type LiveProps } from './LivePicture';
import { GAP, PADDING } from './paneSizes';
import { captionOf, type Shown } from './shown';

/** The picture of the first pane through every view of every display in the config. */
export function ContactSheet({
  first,
  width,
  shape,
  standing,
  handlers,
  ...look
}: Omit<LiveProps, 'shown' | 'height'> & {
  first: Shown;
  shape: number;
  standing: Standing;
  handlers: FrameHandlers;
}) {
  const config = useConfig();
  const project = useProject();
  const across = Math.floor((width - PADDING - 2 * GAP) / 3);
  const size = { width: across, height: Math.round(across / shape) };
  return config.data?.displays.flatMap((display) =>
    display.views.map((view) => {
      const shown = { ...first, choice: { display: display.name, view, look: '' } };
      return (
        <figure
          key={`${display.name} ${view}`}
          className={classes.pane}
          style={{ margin: 0, width: across }}
          data-caption={captionOf(shown, project.data?.setup.working_space ?? '')}
        >
          <Frame {...size} window={look.window} {...{ standing, handlers }}>
            <LivePicture {...look} {...size} shown={shown} />
          </Frame>
          <figcaption className={`${classes.below} small ellipsis`}>
            {view} on {displayName(display.name)}
          </figcaption>
        </figure>
      );
    }),
  );
}
