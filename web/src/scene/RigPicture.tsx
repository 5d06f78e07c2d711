import { useDebouncedValue } from '@mantine/hooks';

import { useSlug } from '../api/hooks';
import { usePicture } from '../shared/usePicture';
import classes from './Scene.module.css';

/** A picture of the rig. The one before stays until the new one is there. */
export function RigPicture({ ask, caption }: { ask: Record<string, string>; caption: string }) {
  const slug = useSlug();
  const [steady] = useDebouncedValue(JSON.stringify(ask), 40);
  const wanted = JSON.parse(steady) as Record<string, string>;
  const picture = usePicture(`/api/v1/projects/${slug}/rig/picture?${new URLSearchParams(wanted)}`);
  return (
    <figure className={classes.rig}>
      <div className={classes.frame}>
        {picture.shown && <img src={picture.shown} alt={caption} />}
        {picture.state === 'loading' && (
          <span className={`${classes.waiting} small`} role="status">
            following light …
          </span>
        )}
        {picture.state === 'failed' && (
          <span className={`${classes.waiting} small`} role="alert">
            This picture could not be rendered: a texture on the rig is missing, or the config does not tell its
            primaries.
          </span>
        )}
      </div>
      <figcaption className="quiet small">{caption}</figcaption>
    </figure>
  );
}
