import { Drawer, Modal } from '@mantine/core';
import { useDisclosure, useHotkeys } from '@mantine/hooks';
import { useEffect } from 'react';
import { Outlet, useNavigate } from 'react-router';

import { useEndedJobs, useProject, useSlug } from '../api/hooks';
import { Loaded } from '../shared/states';
import { KeyHelp } from './KeyHelp';
import { PathStrip, STEPS } from './PathStrip';
import { remember } from './Projects';
import { Tray } from './Tray';
import { UnloadableRevision } from './UnloadableRevision';
import { useUndo } from './useUndo';

/** The frame of every step: the path strip, the tray, and the keys that work everywhere. */
export function ProjectFrame() {
  const slug = useSlug();
  const project = useProject();
  const navigate = useNavigate();
  const [tray, trayDo] = useDisclosure(false);
  const [help, helpDo] = useDisclosure(false);
  const [tracer, tracerDo] = useDisclosure(false);
  const { undo, redo } = useUndo(project.data);
  useEndedJobs();
  useEffect(() => remember(slug), [slug]);
  useEffect(() => {
    document.title = project.data ? `${project.data.name} · Saltwort` : 'Saltwort';
  }, [project.data]);
  useHotkeys([
    ...STEPS.map(
      (step, index): [string, () => void] => [String(index + 1), () => void navigate(`/p/${slug}/${step.path}`)],
    ),
    ['f', trayDo.toggle],
    ['t', tracerDo.open],
    ['mod+z', undo],
    ['mod+y', redo],
    ['mod+shift+z', redo],
    ['?', helpDo.toggle],
    ['shift+?', helpDo.toggle],
  ]);
  return (
    <Loaded of={project}>
      {(data) => (
        <div style={{ display: 'grid', gridTemplateRows: 'auto minmax(0, 1fr)', height: '100%' }}>
          <PathStrip
            project={data}
            onFindings={trayDo.toggle}
            tracer={{ open: tracer, set: (open) => (open ? tracerDo.open() : tracerDo.close()) }}
          />
          <main style={{ minHeight: 0 }}>
            {data.problem ? <UnloadableRevision project={data} /> : <Outlet />}
          </main>
          <Drawer opened={tray} onClose={trayDo.close} position="right" size={400} title="Findings and jobs">
            <Tray />
          </Drawer>
          <Modal opened={help} onClose={helpDo.close} title="Keys">
            <KeyHelp />
          </Modal>
        </div>
      )}
    </Loaded>
  );
}
