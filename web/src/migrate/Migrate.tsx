import { Button, Select, TextInput } from '@mantine/core';
import { Dropzone } from '@mantine/dropzone';
import { type ReactNode, useRef, useState } from 'react';

import { JobCard } from '../app/Tray';
import { api, body } from '../api/client';
import { isBusy, useChange, useProject } from '../api/hooks';
import { AddFiles } from '../shared/AddFiles';
import { useRemembered } from '../shared/remembered';
import { Progressing } from '../shared/Progressing';
import { Empty, Loaded } from '../shared/states';
import { FoundFacts, Habits } from './Habits';
import { Outcome } from './Outcome';
import { PlanForm } from './PlanForm';
import classes from './Migrate.module.css';
import { type OldScene, useChosenScene, useMigrationSteps, useOldScenes, useSendScene } from './useOldScenes';

const DOCUMENTS = '.usda,.usdc,.usd,.usdz,.mtlx,.gltf,.glb,.json,.csv,.png,.jpg,.jpeg,.tif,.tiff,.exr,.hdr,.tx,.bin';

/** Scenes from before their colour setup: what is in them, what is to change, and the proof. */
export function Migrate({ parts }: { parts: ReactNode }) {
  const scenes = useOldScenes();
  const { chosen, choose } = useChosenScene();
  const [typing, setTyping] = useState(false);
  const sending = useSendScene(({ id }) => choose(id));
  const picker = useRef<HTMLInputElement>(null);
  return (
    <Loaded of={scenes}>
      {(listed) => {
        const scene = listed.find(({ id }) => id === chosen) ?? listed[0];
        return (
          <div className={`columns ${classes.migrate}`}>
            <section className="column" aria-label="Scenes">
              {parts}
              <div className="row spread">
                {listed.length > 0 && (
                  <Select
                    aria-label="Scene"
                    style={{ flex: 1 }}
                    data={listed.map((one) => ({ value: String(one.id), label: `${one.name}, ${stateOf(one)}` }))}
                    value={scene ? String(scene.id) : null}
                    onChange={(id) => id && choose(Number(id))}
                  />
                )}
                <AddFiles
                  label="Add a scene"
                  files="Scenes and their textures"
                  busy={sending.progress !== undefined}
                  onFiles={(files) => void sending.send(files)}
                  onPickFiles={() => picker.current?.click()}
                  onFolderInPlace={() => setTyping(true)}
                />
              </div>
              <input
                ref={picker}
                type="file"
                hidden
                multiple
                accept={DOCUMENTS}
                onChange={(event) => {
                  void sending.send([...(event.currentTarget.files ?? [])]);
                  event.currentTarget.value = '';
                }}
              />
              {sending.progress && <Progressing {...sending.progress} onCancel={sending.cancel} />}
              {typing && (
                <ScenePlace
                  onAdded={({ id }) => {
                    setTyping(false);
                    choose(id);
                  }}
                  onClose={() => setTyping(false)}
                />
              )}
              {scene ? (
                <OneScene key={scene.id} scene={scene} onRemoved={() => choose(undefined)} />
              ) : (
                <p className="quiet small">
                  USD (.usda .usdc .usdz), MaterialX (.mtlx), glTF (.gltf .glb), and lists of materials (.csv .json).
                </p>
              )}
            </section>
            <section className="column" aria-label="Before and after">
              {scene ? (
                <Outcome key={scene.id} scene={scene} />
              ) : (
                <Dropzone onDrop={(files) => void sending.send(files)} activateOnClick={false} enablePointerEvents>
                  <Empty>
                    <p>
                      Drop a scene with its textures here. It is read, and never changed: gamma nodes, colours typed for a screen, spaces
                      that the config lacks and tone mapping in the camera are found, and taken out of a copy.
                    </p>
                    <Button onClick={() => setTyping(true)}>Read a scene of this machine</Button>
                  </Empty>
                </Dropzone>
              )}
            </section>
          </div>
        );
      }}
    </Loaded>
  );
}

function stateOf({ job, undone, report, preview, found }: OldScene): string {
  if (isBusy(job)) return job?.message || 'waiting for the worker';
  if (undone) return 'gone back';
  if (report) return `migrated, ${report.same} of ${report.inputs} inputs the same`;
  if (preview) return `previewed, ${preview.count} changes`;
  if (found) return `${found.habits.length} habits found`;
  return job?.message || 'not read yet';
}

function ScenePlace({ onAdded, onClose }: { onAdded: (scene: OldScene) => void; onClose: () => void }) {
  const [place, setPlace] = useRemembered('place of a scene', '');
  const add = useChange((slug, typed: string) =>
    body(api.POST('/api/v1/projects/{slug}/old-scenes', { params: { path: { slug } }, body: { place: typed } })),
  );
  return (
    <form
      className="card chosen block"
      aria-label="Scene of this machine"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate(place, { onSuccess: onAdded });
      }}
    >
      <TextInput
        label="Scene, or folder with scenes"
        description="On the machine that runs Saltwort. It is read where it lies, and stays as it is."
        placeholder="/shows/lantern_quay/quay.usda"
        value={place}
        onChange={(event) => setPlace(event.currentTarget.value)}
        error={add.error?.message}
        autoFocus
      />
      <div className="row">
        <Button type="submit" variant="filled" disabled={!place.trim()} loading={add.isPending}>
          Read
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </form>
  );
}

function OneScene({ scene, onRemoved }: { scene: OldScene; onRemoved: () => void }) {
  const steps = useMigrationSteps();
  const project = useProject().data;
  const remove = useChange((slug) =>
    body(api.DELETE('/api/v1/projects/{slug}/old-scenes/{id}', { params: { path: { slug, id: scene.id } } })),
  );
  return (
    <>
      <div className="row spread">
        <h2 className="ellipsis">{scene.name}</h2>
        <Button
          variant="subtle"
          loading={remove.isPending}
          onClick={() => remove.mutate(undefined, { onSuccess: onRemoved })}
          title="Forget this scene; its files stay"
        >
          Remove
        </Button>
      </div>
      {scene.job && (isBusy(scene.job) || scene.job.state !== 'done') && <JobCard job={scene.job} />}
      {scene.is_behind && !isBusy(scene.job) && (
        <p className="small">The project has changed since this was looked at. Preview again before you migrate.</p>
      )}
      {scene.found && <FoundFacts scene={scene} found={scene.found} />}
      {scene.found && <Habits habits={scene.found.habits} />}
      {scene.found && steps.data && project && (
        <PlanForm scene={scene} steps={steps.data} working={project.setup.working_space ?? ''} busy={isBusy(scene.job)} />
      )}
    </>
  );
}
