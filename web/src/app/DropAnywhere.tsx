import { Button, Modal } from '@mantine/core';
import { Dropzone } from '@mantine/dropzone';
import { useState } from 'react';
import { useLocation, useNavigate } from 'react-router';

import { api, body, queryClient, type Schemas, send, sendForm, tell, tellError } from '../api/client';
import { useProject, useSlug } from '../api/hooks';
import { sendRenders } from '../scene/useImportRenders';
import { counted } from '../shared/marks';
import { useProposal } from '../shared/proposal';
import { useRemembered } from '../shared/remembered';
import { useUploading } from '../shared/uploading';
import type { AddedLook } from '../config/LookForm';
import { EXPLAIN, TEST_CARD, useHandoffsView } from '../handoffs/useView';

const KINDS = {
  picture: /\.(exr|png|jpe?g|tiff?|hdr|dpx|tx)$/i,
  video: /\.(mp4|mov|m4v|mkv|webm)$/i,
  zip: /\.zip$/i,
  config: /\.(ocio|ocioz|ya?ml)$/i,
  look: /\.(cube|clf|cc|ccc|cdl)$/i,
  scene: /\.mtlx$/i,
  colours: /\.(csv|json)$/i,
};
type Kind = keyof typeof KINDS;

const kindOf = (file: File) => (Object.keys(KINDS) as Kind[]).find((kind) => KINDS[kind].test(file.name));

/** Files dropped anywhere on the window go where they belong; where a file may be several things, it is asked. */
export function DropAnywhere() {
  const take = useTake();
  const isTextures = useLocation().pathname.endsWith('/textures');
  const [asked, setAsked] = useState<{ kind: 'picture' | 'zip'; files: File[] }>();
  const drop = (files: File[]) => {
    const kinds = new Set(files.map(kindOf));
    const [file] = files;
    const [kind] = kinds;
    if (isTextures && [...kinds].every((one) => one === 'picture' || one === 'zip')) take.textures(files);
    else if (kinds.has(undefined) || !file || !kind) tell(UNKNOWN, 'Nothing here takes this file');
    else if (kinds.size > 1) tell('Drop files of one kind at a time: pictures, or a config, or a look.');
    else if (kind === 'picture' || kind === 'zip') setAsked({ kind, files });
    else if (files.length > 1) tell(`Drop one at a time: here are ${counted(files.length, 'file')}.`);
    else take[kind](file);
  };
  const choose = (act: (files: File[]) => void) => () => {
    if (asked) act(asked.files);
    setAsked(undefined);
  };
  return (
    <>
      <Dropzone.FullScreen active onDrop={drop} multiple>
        <div className="empty" style={{ height: '70vh' }}>
          <h2>Drop it here</h2>
          <p className="quiet">
            A texture, a render, a config, a LUT or look, a material document, colours, or a project bundle
          </p>
        </div>
      </Dropzone.FullScreen>
      <Modal
        opened={asked !== undefined}
        onClose={() => setAsked(undefined)}
        title={asked?.files.length === 1 ? `What is ${asked.files[0]?.name}?` : `What are these ${asked?.files.length} files?`}
      >
        {asked?.kind === 'picture' && (
          <div className="block">
            <Choice label="A texture" says="It is measured, and the rules say which space it is read in." onClick={choose(take.textures)} />
            <Choice label="A render" says="It stands in Compare, to be seen through views." onClick={choose(take.renders)} />
            <Choice
              label="It came back from an application"
              says="What was done to it on its way is told, with the setting that repairs it."
              onClick={choose(([file]) => file && take.explained(file))}
            />
            <Choice
              label="A picture to compare"
              says="It stands in the second pane of Compare, beside what the project makes of the render."
              onClick={choose(take.compared)}
            />
            <Choice
              label="A test card that came back"
              says="It says whether its application is set up as agreed, or which setting is wrong."
              onClick={choose(([file]) => file && take.card(file))}
            />
          </div>
        )}
        {asked?.kind === 'zip' && (
          <div className="block">
            <Choice label="Textures" says="The pictures in it are added." onClick={choose(take.textures)} />
            <Choice label="A config with its LUTs" says="It is looked at as the base config first." onClick={choose(([file]) => file && take.config(file))} />
            <Choice label="A project bundle" says="It becomes a project of its own." onClick={choose(([file]) => file && take.bundle(file))} />
          </div>
        )}
      </Modal>
    </>
  );
}

const UNKNOWN =
  'Drop a picture (.exr .png .jpg .tif .hdr .dpx .tx), a video that came back (.mp4 .mov), a config (.ocio .ocioz .yaml), a LUT or look (.cube .clf .cc .ccc .cdl), ' +
  'a material document (.mtlx), colours (.csv .json), or a zip of textures, of a config, or of a project.';

function Choice({ label, says, onClick }: { label: string; says: string; onClick: () => void }) {
  return (
    <div className="row spread" style={{ alignItems: 'flex-start' }}>
      <span className="quiet small">{says}</span>
      <Button style={{ flex: 'none' }} onClick={onClick}>
        {label}
      </Button>
    </div>
  );
}

/** A pane as it is sent: what is gone of it is only told. */
const withoutGone = ({ display, view, look, exposure, render, layer, working }: Schemas['ShownPane']) => ({
  display,
  view,
  look,
  exposure,
  render,
  layer,
  working,
});

/** What becomes of each kind of file. */
function useTake() {
  const slug = useSlug();
  const project = useProject();
  const navigate = useNavigate();
  const upload = useUploading();
  const { propose } = useProposal();
  const [, setTab] = useRemembered('config tab', '');
  const [, setLook] = useRemembered<AddedLook | null>('adding a look', null);
  const [, setRender] = useRemembered('selected render', 0);
  const [, setApplication] = useRemembered<number | undefined>('selected application', undefined);
  const [, setHandoffs] = useHandoffsView();
  const [shown] = useRemembered<number | undefined>('render that a picture should show', undefined);
  const go = (path: string, state?: object) => void navigate(`/p/${slug}/${path}`, { state });
  const guarded = (work: () => Promise<unknown>) => void work().catch((error: unknown) => tellError(error as Error));
  const changed = () => queryClient.invalidateQueries({ queryKey: [slug] });
  const addRenders = async (files: File[]) => {
    const made = await sendRenders(slug, files);
    await changed();
    return made;
  };
  const explained = (file: File) =>
    guarded(async () => {
      const renders = await body(api.GET('/api/v1/projects/{slug}/renders', { params: { path: { slug } } }));
      const render = renders.find(({ id }) => id === shown) ?? renders[0];
      setHandoffs(EXPLAIN);
      go('handoffs');
      if (!render) return; // the page says what is missing
      tell('Looking at the picture: some seconds …');
      await send(`/api/v1/projects/${slug}/explanations`, { file, render: String(render.id) });
      await changed();
    });
  return {
    textures: (files: File[]) => {
      go('textures');
      void upload.add(files);
    },
    renders: (files: File[]) =>
      guarded(async () => {
        const last = await addRenders(files);
        if (last) setRender(last.id);
        go(`compare?render=${last?.id}`);
      }),
    card: (file: File) =>
      guarded(async () => {
        const proof = await send<Schemas['CardProof']>(`/api/v1/projects/${slug}/proofs`, { file });
        await changed();
        setApplication(proof.station);
        setHandoffs(TEST_CARD);
        go('handoffs');
      }),
    explained,
    video: explained,
    compared: (files: File[]) =>
      guarded(async () => {
        const last = await addRenders(files);
        const path = { slug };
        const found = await body(api.GET('/api/v1/projects/{slug}/comparison', { params: { path } }));
        const panes = found.panes.map(withoutGone);
        const [first] = panes;
        if (last && first) {
          const beside = [first, { ...(panes[1] ?? first), render: last.id, layer: null }];
          const { version, render, exposure, probes } = found;
          await body(
            api.PUT('/api/v1/projects/{slug}/comparison', {
              params: { path },
              body: { based_on: version, render, exposure, probes, panes: beside },
            }),
          );
          await changed();
        }
        go('compare');
      }),
    config: (file: File) =>
      guarded(async () => {
        const { base, name } = await send<Schemas['Base']>(`/api/v1/projects/${slug}/base`, { file });
        propose({ base }, `Base config ${name}`);
        go('config');
      }),
    look: (file: File) =>
      guarded(async () => {
        const found = await send<AddedLook[]>(`/api/v1/projects/${slug}/look-file`, { file });
        setTab('Roles, rules, looks');
        const known = (project.data?.setup.added_looks ?? []) as AddedLook[];
        if (found[0]?.lut) setLook(found[0]); // a LUT does not say what it is made for, so that is asked
        else propose({ added_looks: [...known, ...found] }, `Looks of ${file.name} added`);
        go('config');
      }),
    scene: (file: File) => go('textures/convert', { material: file }),
    colours: (file: File) =>
      guarded(async () => {
        const form = new FormData();
        form.append('file', file);
        form.append('based_on', String(project.data?.revision.number ?? 0));
        await sendForm(`/api/v1/projects/${slug}/swatches/file`, form);
        await changed();
        go('scene?part=colours');
      }),
    bundle: (file: File) =>
      guarded(async () => {
        tell('Importing the bundle. Its pictures are measured; this can take a while.');
        const made = await send<Schemas['Project']>('/api/v1/bundles', { file });
        await queryClient.invalidateQueries({ queryKey: ['projects'] });
        void navigate(`/p/${made.slug}`);
      }),
  };
}
