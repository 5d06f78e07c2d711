import { Button, FileButton } from '@mantine/core';
import { Dropzone } from '@mantine/dropzone';
import { useRef } from 'react';

import { api, body, send } from '../api/client';
import { isBusy, type Render, useChange, useConfig, useJobs, useProject } from '../api/hooks';
import { JobCard } from '../app/Tray';
import { displayName } from '../shared/colour';
import { RigPicture } from './RigPicture';
import classes from './Scene.module.css';

const RENDERS = '.exr,.hdr,.tif,.tiff,.png';
const SIZE = { width: 640, height: 360, samples: 16 };

/** What stands where a project has no render yet: the rig through its view and another, and a place to drop a render. */
export function FirstRender({ what }: { what: string }) {
  const project = useProject().data;
  const config = useConfig().data;
  const jobs = useJobs();
  const pick = useRef<() => void>(null);
  const add = useChange((slug, file: File) => send<Render>(`/api/v1/projects/${slug}/renders`, { file }));
  const start = useChange((slug) =>
    body(
      api.POST('/api/v1/projects/{slug}/rig/renders', {
        params: { path: { slug } },
        body: { mistake: '', mapping: '', white: 4, solo: '', muted: '', stops: '', ...SIZE },
      }),
    ),
  );
  const running = jobs.data?.find((job) => job.kind === 'render-rig' && isBusy(job));
  const view = project?.setup.view;
  const views = config?.displays.find(({ name }) => name === view?.display)?.views ?? [];
  const shown = view ? [view.view, ...views.filter((other) => other !== view.view).slice(0, 1)] : [];
  return (
    <section className="block" aria-label="Rig and first render" style={{ gap: 12 }}>
      <p>
        {what} This is the rig, rendered here in {project?.setup.working_space}, so that there is something to look at.
      </p>
      <div className={classes.pair}>
        {shown.map((name) => (
          <RigPicture
            key={name}
            ask={{ view: name, quick: 'true', v: String(project?.revision.number) }}
            caption={`The rig through ${name} on ${displayName(view?.display ?? '')}`}
          />
        ))}
      </div>
      <Dropzone openRef={pick} onDrop={([file]) => file && add.mutate(file)} activateOnClick={false} enablePointerEvents loading={add.isPending} multiple={false}>
        <div className="empty" style={{ minHeight: 120 }}>
          <p>Drop a render here: float EXR or HDR, or a reference picture as PNG or TIFF.</p>
          <div className="row">
            <FileButton onChange={(file) => file && add.mutate(file)} accept={RENDERS}>
              {(props) => (
                <Button {...props} variant="filled">
                  Import a render
                </Button>
              )}
            </FileButton>
            {!running && (
              <Button loading={start.isPending} onClick={() => start.mutate(undefined)}>
                Render the rig
              </Button>
            )}
          </div>
        </div>
      </Dropzone>
      {running && <JobCard job={running} />}
    </section>
  );
}
