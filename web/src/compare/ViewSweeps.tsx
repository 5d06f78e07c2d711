import { useConfig, useProject, useSlug } from '../api/hooks';
import { displayName } from '../shared/colour';
import { usePicture } from '../shared/usePicture';
import classes from './Compare.module.css';

/** A reference picture through every view of the project's display: hues from left to right, exposure from below up. */
export function ViewSweeps() {
  const project = useProject().data;
  const config = useConfig().data;
  const display = project?.setup.view.display ?? '';
  const views = config?.displays.find(({ name }) => name === display)?.views ?? [];
  return (
    <section className="block" aria-label="Reference pictures">
      <h2>Every view of {displayName(display)}</h2>
      <p className="quiet small">Saturated hues from left to right, exposure from the bottom up.</p>
      <div className={classes.sweeps}>
        {views.map((view) => (
          <Sweep key={view} display={display} view={view} />
        ))}
      </div>
    </section>
  );
}

function Sweep({ display, view }: { display: string; view: string }) {
  const slug = useSlug();
  const revision = useProject().data?.revision.number;
  const asked = new URLSearchParams({ display, view, v: String(revision) });
  const { shown, state } = usePicture(`/api/v1/projects/${slug}/tone/sweep?${asked}`);
  return (
    <figure style={{ margin: 0 }}>
      {shown && <img src={shown} alt={`Hues and exposure through ${view}`} style={{ width: '100%' }} />}
      <figcaption className="quiet small">
        {view}
        {state === 'failed' && ': gives numbers, no light, so it cannot be drawn'}
        {state === 'loading' && ' …'}
      </figcaption>
    </figure>
  );
}
