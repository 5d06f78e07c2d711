import { Select } from '@mantine/core';

import { useProject } from '../api/hooks';
import classes from './Compare.module.css';
import { Frame, type FrameHandlers, type Standing } from './Frame';
import { LightPlaces } from './LightPlaces';
import { LivePicture, type LiveProps } from './LivePicture';
import { captionOf, type Shown, TEST_PICTURES, viewName } from './shown';
import type { Designing } from './useDesign';

const GAP = 10;
const SHAPE = 16 / 9;

/** The view that is being designed beside the first pane's, on a render or a test picture, with both their curves. */
export function DesignTable({
  first,
  designing,
  picture,
  onPicture,
  width,
  standing,
  handlers,
  ...common
}: Omit<LiveProps, 'shown' | 'width' | 'height'> & {
  first: Shown;
  designing: Designing;
  /** The name of a test picture, or nothing for the render. */
  picture: string;
  onPicture: (picture: string) => void;
  width: number;
  standing: Standing;
  handlers: FrameHandlers;
}) {
  const project = useProject();
  const before: Shown = picture ? { ...first, render: picture, layer: '' } : first;
  const pair = [before, designing.through(before)] as const;
  const { render } = before;
  const shape = typeof render === 'string' ? SHAPE : render.width / render.height;
  const across = Math.floor((width - 24 - GAP) / 2);
  const size = { width: across, height: Math.round(across / shape) };
  return (
    <div className={classes.places}>
      <div className="row" style={{ alignItems: 'flex-end' }}>
        <Select
          label="Preview on"
          data={[
            { value: '', label: typeof first.render === 'string' ? 'the render' : first.render.name },
            ...Object.entries(TEST_PICTURES).map(([value, label]) => ({ value, label })),
          ]}
          value={picture}
          onChange={(value) => value !== null && onPicture(value)}
        />
      </div>
      <div className="row" style={{ alignItems: 'flex-start', gap: GAP }}>
        {pair.map((shown, index) => (
          <figure
            key={index}
            className={classes.pane}
            style={{ margin: 0, width: size.width }}
            aria-label={index === 0 ? 'The first pane' : 'The design'}
            data-caption={captionOf(shown, project.data?.setup.working_space ?? '')}
          >
            <Frame {...size} window={common.window} standing={standing} handlers={handlers}>
              <LivePicture {...common} {...size} shown={shown} />
            </Frame>
            <figcaption className={`${classes.below} small ellipsis`}>
              {index === 0 ? `1 ${viewName(shown.choice)}` : 'The design'}
            </figcaption>
          </figure>
        ))}
      </div>
      <LightPlaces panes={[...pair]} />
    </div>
  );
}
