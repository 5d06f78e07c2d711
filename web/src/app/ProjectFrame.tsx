import { Drawer, Modal } from '@mantine/core';
import { useDisclosure, useHotkeys } from '@mantine/hooks';
import { useEffect } from 'react';
import { Outlet, useLocation, useNavigate } from 'react-router';

import { useEndedJobs, useProject, useSlug } from '../api/hooks';
import { BesideGuide } from '../guide/BesideGuide';
import { GuideContext, useGuideOfProject } from '../guide/useGuide';
import { Loaded } from '../shared/states';
import { useUndo } from '../shared/useUndo';
import { UploadContext } from '../shared/uploading';
import { TakenPaths } from '../textures/TakenPaths';
import { useUpload } from '../textures/useUpload';
import { DropAnywhere } from './DropAnywhere';
import { FindAnything } from './FindAnything';
import { KeyHelp } from './KeyHelp';
import { PathStrip, STEPS } from './PathStrip';
import { remember } from './Projects';
import { Tray } from './Tray';
import { UnloadableRevision } from './UnloadableRevision';

/** The frame of every step: the path strip, the tray, and the keys that work everywhere. */
export function ProjectFrame() {
  const slug = useSlug();
  const project = useProject();
  const navigate = useNavigate();
  const [tray, trayDo] = useDisclosure(false);
  const [help, helpDo] = useDisclosure(false);
  const [tracer, tracerDo] = useDisclosure(false);
  const { undo, redo } = useUndo();
  const upload = useUpload();
  const guide = useGuideOfProject();
  const about = useGuidePage();
  const to = (path: string) => () => void navigate(`/p/${slug}/${path}`);
  const actions = [
    { label: 'Undo', hint: project.data?.undo?.what ?? 'nothing to undo', go: undo },
    { label: 'Redo', hint: project.data?.redo?.what ?? 'nothing to redo', go: redo },
    { label: 'What is next', go: () => void navigate(`/p/${slug}`) },
    { label: 'Check this screen', note: 'is it fit to judge on', go: () => void navigate('/screen') },
    { label: 'Findings and jobs', go: trayDo.open },
    { label: 'Guide', note: 'beside the work', go: () => guide.go(about) },
    { label: 'Change the test colour', go: tracerDo.open },
    { label: 'Convert textures', go: to('textures/convert') },
    { label: 'The rig', note: 'lights, and mistakes on purpose', go: to('scene?part=rig') },
    { label: 'Keys', go: helpDo.open },
    { label: 'What each finding means', go: () => void navigate('/findings') },
    { label: 'Glossary', go: () => void navigate('/glossary') },
    { label: 'All projects', go: () => void navigate('/?all') },
  ];
  useEndedJobs();
  useEffect(() => remember(slug), [slug]);
  useEffect(() => {
    document.title = project.data ? `${project.data.name} · Saltwort` : 'Saltwort';
  }, [project.data]);
  useHotkeys([
    ...STEPS.map(
      (step, index): [string, () => void] => [String(index + 1), () => void navigate(`/p/${slug}/${step.path}`)],
    ),
    ['n', () => void navigate(`/p/${slug}`)],
    ['f', trayDo.toggle],
    ['g', () => guide.toggle(about)],
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
        <UploadContext value={upload}>
        <GuideContext value={guide}>
          <div style={{ display: 'grid', gridTemplateRows: 'auto minmax(0, 1fr)', height: '100%' }}>
            <PathStrip
              project={data}
              onFindings={trayDo.toggle}
              tracer={{ open: tracer, set: (open) => (open ? tracerDo.open() : tracerDo.close()) }}
            />
            <main style={{ minHeight: 0 }}>
              <BesideGuide guide={guide}>{data.problem ? <UnloadableRevision project={data} /> : <Outlet />}</BesideGuide>
            </main>
            <Drawer opened={tray} onClose={trayDo.close} position="right" size={400} title="Findings and jobs">
              <Tray />
            </Drawer>
            <DropAnywhere />
            <TakenPaths />
            <FindAnything actions={actions} />
            <Modal opened={help} onClose={helpDo.close} title="Keys">
              <KeyHelp />
            </Modal>
          </div>
        </GuideContext>
        </UploadContext>
      )}
    </Loaded>
  );
}

const PAGES: Record<string, string> = { '': 'guide/start#what-is-next', migrate: 'guide/migrate' };

/** The page of the guide on the step that is shown. */
function useGuidePage(): string {
  const { pathname, search } = useLocation();
  const step = new URLSearchParams(search).get('part') === 'migrate' ? 'migrate' : (pathname.split('/')[3] ?? '');
  return PAGES[step] ?? `guide/${step}`;
}
