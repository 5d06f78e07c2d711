import { Button } from '@mantine/core';
import { Link } from 'react-router';

import { useSlug } from '../api/hooks';
import { useRemembered } from '../shared/remembered';
import { useWalk } from './useNext';

const READ = 'read';

const wordOf = ({ key, done }: { key: string; done: boolean }, isCurrent: boolean) => {
  if (done) return key === READ ? 'read' : 'mended';
  return isCurrent ? 'now' : 'to find';
};

/** Five mistakes of the demo to be found; each is done once it is really mended. It can be left, and taken up again. */
export function Walk() {
  const slug = useSlug();
  const steps = useWalk().data ?? [];
  const [left, setLeft] = useRemembered('walk left', false);
  if (steps.length === 0) return null;
  const done = steps.filter((step) => step.done && step.key !== READ).length;
  if (left) {
    return (
      <Button variant="subtle" style={{ alignSelf: 'flex-start' }} onClick={() => setLeft(false)}>
        Find the five mistakes, {done} found
      </Button>
    );
  }
  const current = steps.find((step) => !step.done);
  return (
    <section className="card block" aria-label="Find the five mistakes">
      <div className="row spread">
        <h2>
          Find the five mistakes <span className="quiet small">{done} of 5 mended</span>
        </h2>
        <Button variant="subtle" onClick={() => setLeft(true)}>
          Leave
        </Button>
      </div>
      <ol start={0} style={{ margin: 0, paddingLeft: 20 }} className="small">
        {steps.map((step) => (
          <li key={step.key}>
            <strong>{step.title}</strong> <span className="quiet">{wordOf(step, step === current)}</span>
            {step === current && (
              <div>
                {step.look} <Link to={`/p/${slug}/${step.path}`}>Go and look</Link>
              </div>
            )}
          </li>
        ))}
      </ol>
      {!current && <p className="small">All five are mended. The rest of the findings is yours.</p>}
    </section>
  );
}
