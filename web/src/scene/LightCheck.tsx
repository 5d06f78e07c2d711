import { Slider } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { api, body } from '../api/client';
import { type Render, useProject, useSlug } from '../api/hooks';
import { Segments } from '../shared/Segments';
import { usePicture } from '../shared/usePicture';
import classes from './Scene.module.css';

const MOST_STOPS = 8;
const MARKS = {
  none: 'No marks',
  flat: 'Clipped',
  negative: 'Negative',
  'not-finite': 'NaN or infinite',
};
type Mark = keyof typeof MARKS;

const percent = (share: number | null) => `${((share ?? 0) * 100).toFixed(2)} %`;

/** A render pulled down in exposure, with stripes where light is cut off, negative or no number. */
export function LightCheck({ render }: { render: Render }) {
  const slug = useSlug();
  const project = useProject();
  const [down, setDown] = useState(0);
  const [mark, setMark] = useState<Mark>('flat');
  const [steady] = useDebouncedValue(down, 60);
  const marks = useQuery({
    queryKey: [slug, 'marks', render.id, render.version],
    queryFn: () =>
      body(api.GET('/api/v1/projects/{slug}/renders/{id}/marks', { params: { path: { slug, id: render.id } } })),
    retry: false,
  });
  const picture = usePicture(
    `${render.thumbnail}&${new URLSearchParams({
      size: '1024',
      exposure: String(-steady),
      r: String(project.data?.revision.number ?? 0),
      ...(mark === 'none' ? {} : { mark }),
    })}`,
  );
  const found = marks.data?.find(({ name }) => name === mark);
  const [red, green, blue] = found?.channels ?? [];
  return (
    <div className="block">
      <div className="row spread wrap">
        <h2>Clipping check</h2>
        <Segments
          aria-label="What to mark"
          value={mark}
          onChange={(value) => setMark(value as Mark)}
          data={Object.entries(MARKS).map(([value, label]) => ({ value, label }))}
        />
      </div>
      <div className={classes.frame}>
        {picture.shown && <img src={picture.shown} alt={`${render.name}, ${down} stops down`} />}
        {picture.state === 'loading' && (
          <span className={`${classes.waiting} small`} role="status">
            computing …
          </span>
        )}
        {picture.state === 'failed' && (
          <span className={`${classes.waiting} small`} role="alert">
            This picture could not be drawn.
          </span>
        )}
      </div>
      <div className={classes.pull}>
        <Slider
          aria-label="Stops down"
          thumbLabel="Stops down"
          min={0}
          max={MOST_STOPS}
          step={0.5}
          value={down}
          label={null}
          onChange={setDown}
        />
        <span className="mono small">−{down.toFixed(1)} stops</span>
      </div>
      {found && (
        <p className="small">
          {MARKS[mark]}: red <span className="mono">{percent(red ?? 0)}</span>, green{' '}
          <span className="mono">{percent(green ?? 0)}</span>, blue <span className="mono">{percent(blue ?? 0)}</span>, all
          three <span className="mono">{percent(found.all_channels)}</span> of the pixels.
          {mark === 'flat' &&
            (found.bright_with_detail === null
              ? ' Nothing in it is as bright as 0.9.'
              : ` Of what is bright, ${percent(found.bright_with_detail)} still has detail.`)}
        </p>
      )}
      {marks.error && <p role="alert">{marks.error.message}</p>}
    </div>
  );
}
