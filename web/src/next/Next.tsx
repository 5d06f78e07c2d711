import { Button } from '@mantine/core';
import { useEffect } from 'react';
import { Link } from 'react-router';

import { useProject, useSlug } from '../api/hooks';
import { STEPS } from '../app/PathStrip';
import { Loaded } from '../shared/states';
import { useUploading } from '../shared/uploading';
import { takeWaiting } from '../start/waiting';
import classes from './Next.module.css';
import { StateMark } from './StateMark';
import { useNext } from './useNext';
import { Walk } from './Walk';

/** The project's own first page: what is settled, what is open, and the one thing to do next. */
export function Next() {
  const slug = useSlug();
  const next = useNext();
  const project = useProject().data;
  const upload = useUploading();
  useEffect(() => {
    const files = takeWaiting(slug);
    if (files.length > 0) void upload.add(files);
    // Files wait once.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [slug]);
  return (
    <Loaded of={next}>
      {({ steps, next: thing }) => (
        <div className={classes.page}>
          <section className={`card chosen row spread ${classes.next}`} aria-label="Next">
            {thing ? (
              <>
                <div>
                  <h1>Next: {thing.label}</h1>
                  <span className="quiet small">{steps.filter(({ state }) => state === 'ready').length} of 6 steps are ready</span>
                </div>
                <Button variant="filled" component={Link} to={`/p/${slug}/${thing.path}`}>
                  Go there
                </Button>
              </>
            ) : (
              <>
                <div>
                  <h1>All is ready</h1>
                  <span className="quiet small">Hand the package to everybody in the chain.</span>
                </div>
                <Button variant="filled" component="a" href={`/api/v1/projects/${slug}/package`} download>
                  Package for everybody
                </Button>
              </>
            )}
          </section>
          <Walk />
          <div className={classes.steps}>
            {steps.map(({ step, state, settled, open, next: own }) => {
              const known = STEPS.find(({ path }) => path === step);
              return (
                <section key={step} className={`card block ${classes.step}`} aria-label={known?.name ?? step}>
                  <div className="row spread">
                    <h2>{known?.name}</h2>
                    <span className="row small">
                      <StateMark state={state} /> {state}
                    </span>
                  </div>
                  <ul className="small">
                    {settled.map((said) => (
                      <li key={said} className="quiet">
                        {said}
                      </li>
                    ))}
                    {open.slice(0, 4).map((said) => (
                      <li key={said}>{said}</li>
                    ))}
                    {open.length > 4 && <li>and {open.length - 4} more</li>}
                  </ul>
                  <Link to={`/p/${slug}/${own?.path ?? step}`} className="small">
                    {own ? (state === 'attention' ? `Look at: ${own.label}` : own.label) : `Open ${known?.name}`}
                  </Link>
                </section>
              );
            })}
          </div>
          <p className="small quiet">
            {project?.name} is at revision {project?.revision.number}. <Link to="/screen">Is this screen fit to judge on?</Link>
          </p>
        </div>
      )}
    </Loaded>
  );
}
