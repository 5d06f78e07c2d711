import { Popover, VisuallyHidden } from '@mantine/core';
import { useDisclosure } from '@mantine/hooks';
import { Fragment } from 'react';
import { NavLink } from 'react-router';

import type { Schemas } from '../api/client';
import { isBusy, type Project, useFindingCounts, useJobs, useJoints, useSlug } from '../api/hooks';
import { css, displayName, figures, shortView } from '../shared/colour';
import { StateMark } from '../next/StateMark';
import { type StepState, useNext } from '../next/useNext';
import { counted, LevelMark } from '../shared/marks';
import classes from './PathStrip.module.css';
import { ProjectMenu } from './ProjectMenu';
import { TracerEditor } from './TracerEditor';

type Joint = Schemas['Joint'];

/** The six steps in order, and the one fact that each shows. */
export const STEPS: { path: string; name: string; fact: (project: Project) => string }[] = [
  { path: 'config', name: 'Config', fact: (project) => counted(project.strip.spaces, 'space') },
  { path: 'textures', name: 'Textures', fact: (project) => counted(project.strip.textures, 'file') },
  { path: 'scene', name: 'Scene', fact: (project) => project.setup.working_space },
  { path: 'compare', name: 'Compare', fact: ({ setup: { view } }) => viewWords(view) },
  { path: 'handoffs', name: 'Hand-offs', fact: (project) => counted(project.strip.stations, 'application') },
  { path: 'outputs', name: 'Outputs', fact: (project) => counted(project.strip.outputs, 'file') },
];

const viewWords = ({ view, display }: { view: string; display: string }) =>
  `${shortView(view)} on ${displayName(display)}`;

export function PathStrip({
  project,
  onFindings,
  tracer,
}: {
  project: Project;
  onFindings: () => void;
  tracer: { open: boolean; set: (open: boolean) => void };
}) {
  const slug = useSlug();
  const joints = useJoints();
  const states = new Map(useNext().data?.steps.map((one) => [one.step, one.state]));
  return (
    <header className={classes.strip}>
      <ProjectMenu project={project} />
      <nav className={classes.stem} aria-label="Colour path">
        {STEPS.map((step, index) => {
          const joint = joints.data?.[index];
          return (
            <Fragment key={step.path}>
              <NavLink
                to={`/p/${slug}/${step.path}`}
                className={({ isActive }) => `${classes.segment} ${isActive ? classes.here : ''}`}
                title={step.fact(project)}
              >
                <span className={classes.step}>
                  {step.name} <StepMark state={states.get(step.path)} />
                </span>
                <span className={`${classes.fact} ellipsis`}>{step.fact(project)}</span>
              </NavLink>
              {joint && <JointDisc joint={joint} />}
            </Fragment>
          );
        })}
      </nav>
      <div className={classes.right}>
        <FindingCounts onOpen={onFindings} />
        <Popover opened={tracer.open} onChange={tracer.set} position="bottom-end" width={280} trapFocus returnFocus>
          <Popover.Target>
            <button className="bare ellipsis" onClick={() => tracer.set(!tracer.open)} title="Change the test colour (T)">
              <span className="quiet">test colour</span> <strong className="mono">{project.tracer.text}</strong>
            </button>
          </Popover.Target>
          <Popover.Dropdown>
            <TracerEditor project={project} onDone={() => tracer.set(false)} />
          </Popover.Dropdown>
        </Popover>
      </div>
    </header>
  );
}

/** The state of a step as a shape, with its word for those who do not see it. */
function StepMark({ state }: { state: StepState['state'] | undefined }) {
  if (!state) return null;
  return (
    <span title={state}>
      <StateMark state={state} />
      <VisuallyHidden>{state}</VisuallyHidden>
    </span>
  );
}

/** The tracer between two steps: its numbers there shown as they stand, and what happened to them. */
function JointDisc({ joint }: { joint: Joint }) {
  const [opened, { open, close }] = useDisclosure(false);
  return (
    <Popover opened={opened} position="bottom" width={300} withArrow>
      <Popover.Target>
        <button
          className={`bare disc ${classes.joint} ${joint.remarks.length > 0 ? classes.clipped : ''}`}
          style={{ background: css(joint.values) }}
          aria-label={`Test colour ${joint.title}: ${figures(joint.values)} in ${joint.space}. ${joint.remarks.join('. ')}`}
          onMouseEnter={open}
          onMouseLeave={close}
          onFocus={open}
          onBlur={close}
        />
      </Popover.Target>
      <Popover.Dropdown>
        <div className="block" role="tooltip">
          <h3>Test colour {joint.title}</h3>
          <p className="mono">{figures(joint.values)}</p>
          <p className="mono small">8-bit {figures(joint.values, '8-bit')}</p>
          <p className="quiet small">
            numbers of <span className="mono">{joint.space}</span>, painted on the disc as they stand
          </p>
          {joint.remarks.map((remark) => (
            <p key={remark} className="row small">
              <LevelMark level="caution" /> {remark}
            </p>
          ))}
        </div>
      </Popover.Dropdown>
    </Popover>
  );
}

function FindingCounts({ onOpen }: { onOpen: () => void }) {
  const found = useFindingCounts().data;
  const jobs = useJobs();
  const busy = jobs.data?.filter(isBusy).length ?? 0;
  const { blocker: blockers, caution: cautions, note: notes } = found?.counts ?? { blocker: 0, caution: 0, note: 0 };
  return (
    <button className="bare row" onClick={onOpen} title="Findings and jobs (F)">
      <VisuallyHidden>Findings and jobs</VisuallyHidden>
      {busy > 0 && <span className="mono small">{counted(busy, 'job')}</span>}
      {blockers > 0 && (
        <span className="row">
          <LevelMark level="blocker" /> {counted(blockers, 'blocker')}
        </span>
      )}
      {cautions > 0 && (
        <span className="row">
          <LevelMark level="caution" /> {blockers > 0 ? `${cautions.toLocaleString('en-GB')} more` : counted(cautions, 'caution')}
        </span>
      )}
      {found && blockers + cautions === 0 && (
        <span className="quiet">{notes > 0 ? counted(notes, 'note') : 'no findings'}</span>
      )}
    </button>
  );
}
