import { Button, Checkbox, FileButton, Radio, Textarea, TextInput } from '@mantine/core';
import { Dropzone } from '@mantine/dropzone';
import { useMutation, useQuery } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { Link, useNavigate } from 'react-router';

import { api, body, queryClient, type Schemas, send, tell, tellError } from '../api/client';
import { counted } from '../shared/marks';
import { GamutPlot } from '../shared/plots';
import { Segments } from '../shared/Segments';
import { Loaded } from '../shared/states';
import { pathOf } from '../textures/useUpload';
import classes from './Start.module.css';
import { leaveWaiting } from './waiting';

type Answers = Required<Schemas['Answers']>;
type Options = Schemas['StartOptions'];

/** Questions on the left, and on the right what the answers lead to. Every question can be skipped. */
export function Start() {
  const options = useQuery({ queryKey: ['start'], queryFn: () => body(api.GET('/api/v1/start')), staleTime: Infinity });
  return <Loaded of={options}>{(told) => <Questions options={told} />}</Loaded>;
}

function Questions({ options }: { options: Options }) {
  const navigate = useNavigate();
  const [name, setName] = useState('New show');
  const [answers, setAnswers] = useState<Answers>(options.answers as Answers);
  const [render, setRender] = useState<{ image: string; name: string }>();
  const [textures, setTextures] = useState<File[]>([]);
  const [pasted, setPasted] = useState('');
  const set = <Key extends keyof Answers>(key: Key, value: Answers[Key]) => setAnswers((before) => ({ ...before, [key]: value }));
  const toggle = (key: 'deliveries' | 'applications', one: string) =>
    set(key, answers[key].includes(one) ? answers[key].filter((other) => other !== one) : [...answers[key], one]);
  const facts = useQuery({
    queryKey: ['start-facts', answers],
    queryFn: () => body(api.POST('/api/v1/start/facts', { body: answers })),
    placeholderData: (before) => before,
  });
  const make = useMutation({
    mutationFn: () =>
      body(api.POST('/api/v1/start/project', { body: { name, answers, image: render?.image ?? '', image_name: render?.name ?? '' } })),
    onSuccess: async ({ slug }) => {
      leaveWaiting(slug, textures);
      await queryClient.invalidateQueries({ queryKey: ['projects'] });
      void navigate(`/p/${slug}`);
    },
  });
  const sendConfig = useMutation({
    mutationFn: (file: File) => send<Schemas['StartConfig']>('/api/v1/start/config', { file }),
    onSuccess: ({ base }) => set('base', base),
    onError: tellError,
  });
  const sendRender = useMutation({
    mutationFn: async (file: File) => ({ ...(await send<Schemas['StartRender']>('/api/v1/start/render', { file })), name: file.name }),
    onSuccess: setRender,
    onError: tellError,
  });
  const bundle = useMutation({
    mutationFn: (file: File) => send<Schemas['Project']>('/api/v1/bundles', { file }),
    onSuccess: ({ slug }) => void navigate(`/p/${slug}`),
    onError: tellError,
  });
  const names = [...textures.map(pathOf), ...pasted.split('\n').map((one) => one.trim())].filter(Boolean);
  const drop = (files: File[]) => {
    const [file] = files;
    if (file && files.length === 1 && CONFIG.test(file.name)) sendConfig.mutate(file);
    else if (file && files.length === 1 && /\.zip$/i.test(file.name)) bundle.mutate(file);
    else if (file && files.length === 1 && LIGHT.test(file.name)) sendRender.mutate(file);
    else if (files.some(({ name: one }) => PICTURES.test(one))) setTextures(files.filter(({ name: one }) => PICTURES.test(one)));
    else tell('Drop a render (one EXR or HDR), textures, a config, or a project bundle.', 'Nothing here takes this');
  };
  return (
    <main className={classes.page}>
      <Dropzone.FullScreen active onDrop={drop} multiple>
        <div className="empty" style={{ height: '70vh' }}>
          <h2>Drop it here</h2>
          <p className="quiet">A render (one EXR or HDR), a folder of textures, a config, or a project bundle</p>
        </div>
      </Dropzone.FullScreen>
      <form
        className={classes.questions}
        aria-label="Questions"
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate();
        }}
      >
        <div className="row spread">
          <h1>Start a project</h1>
          <Link to="/?all" className="small">
            All projects
          </Link>
        </div>
        <p className="quiet small">Skip what you like: an untouched page is a complete project. All of it can be changed later.</p>
        <div className="row" style={{ alignItems: 'flex-end' }}>
          <TextInput
            label="Name"
            value={name}
            maxLength={80}
            onChange={(event) => setName(event.currentTarget.value)}
            error={make.error?.message}
            style={{ flex: 1 }}
          />
          <Button type="submit" variant="filled" loading={make.isPending} disabled={!name.trim()}>
            Start with these
          </Button>
        </div>
        <Question title="What is there already?">
          <div className="row wrap">
            <Picked label="A render" accept=".exr,.hdr,.tif,.tiff,.png" onPick={(file) => sendRender.mutate(file)} busy={sendRender.isPending} />
            <Folder onPick={setTextures} />
            <Picked label="A config" accept=".ocio,.ocioz,.zip,.yaml" onPick={(file) => sendConfig.mutate(file)} busy={sendConfig.isPending} />
            <Picked label="A project bundle" accept=".zip" onPick={(file) => bundle.mutate(file)} busy={bundle.isPending} />
          </div>
          <ul className="small quiet" style={{ margin: 0, paddingLeft: 16 }} aria-label="There already">
            {render && <li>Render {render.name}: the pictures show it.</li>}
            {textures.length > 0 && <li>{counted(textures.length, 'texture')}: read once the project is there.</li>}
            {answers.base && <li>Your config: the project starts from it.</li>}
          </ul>
        </Question>
        <Question title="What is delivered?">
          {options.deliveries.map((one) => (
            <Checkbox
              key={one.key}
              size="xs"
              label={one.label}
              description={one.does}
              checked={answers.deliveries.includes(one.key)}
              onChange={() => toggle('deliveries', one.key)}
            />
          ))}
        </Question>
        <Question title="Which working space?">
          <Radio.Group aria-label="Which working space?" value={answers.space} onChange={(value) => set('space', value)}>
            <div className="block">
              {options.spaces.map((one) => (
                <Radio key={one.key} size="xs" value={one.key} label={one.label} description={one.does} />
              ))}
            </div>
          </Radio.Group>
        </Question>
        <Question title="Which applications are in the chain?">
          <div className={classes.applications}>
            {options.applications.map((one) => (
              <Checkbox
                key={one.key}
                size="xs"
                label={one.label}
                title={one.does}
                checked={answers.applications.includes(one.key)}
                onChange={() => toggle('applications', one.key)}
              />
            ))}
          </div>
        </Question>
        <Question title="How are textures named?">
          <Textarea
            aria-label="Names of textures"
            placeholder={'Paste names, one in a line:\nquay_wall_basecolor.png'}
            autosize
            minRows={2}
            maxRows={5}
            value={pasted}
            onChange={(event) => setPasted(event.currentTarget.value)}
          />
        </Question>
      </form>
      <div className={classes.outcome}>
        <Pictures options={options} answers={answers} image={render?.image} onChoose={(key) => set('picture', key)} />
        {facts.error && <p role="alert">{facts.error.message}</p>}
        {facts.data && <Facts facts={facts.data} />}
        {facts.data && <Spaces spaces={facts.data.spaces} />}
        {names.length > 0 && <Names answers={answers} names={names} />}
      </div>
    </main>
  );
}

function Question({ title, children }: { title: string; children: ReactNode }) {
  return (
    <fieldset className={classes.question}>
      <legend>{title}</legend>
      {children}
    </fieldset>
  );
}

function Picked({ label, accept, busy, onPick }: { label: string; accept: string; busy: boolean; onPick: (file: File) => void }) {
  return (
    <FileButton onChange={(file) => file && onPick(file)} accept={accept}>
      {(props) => (
        <Button {...props} loading={busy}>
          {label}
        </Button>
      )}
    </FileButton>
  );
}

const WHOLE_FOLDER = { webkitdirectory: '' };
const LIGHT = /\.(exr|hdr)$/i;
const CONFIG = /\.(ocio|ocioz|ya?ml)$/i;
const PICTURES = /\.(exr|png|jpe?g|tiff?|hdr|dpx|tx)$/i;

/** A folder of textures: its names are looked at now, its files are sent once the project is there. */
function Folder({ onPick }: { onPick: (files: File[]) => void }) {
  return (
    <FileButton multiple inputProps={WHOLE_FOLDER as object} onChange={(files) => onPick(files.filter(({ name }) => PICTURES.test(name)))}>
      {(props) => <Button {...props}>A folder of textures</Button>}
    </FileButton>
  );
}

const STAND_INS: Record<string, string> = {
  lamps: 'The picture: saturated lamps, from dark on the left to far above white.',
  rig: 'The picture: the rig, with a neutral sky, a flame and a green marker light.',
};

/** The render, or what stands in for it, through each way to a picture. */
function Pictures({
  options,
  answers,
  image,
  onChoose,
}: {
  options: Options;
  answers: Answers;
  image: string | undefined;
  onChoose: (key: string) => void;
}) {
  const [standIn, setStandIn] = useState('lamps');
  const [seen, setSeen] = useState('');
  const source = (key: string) => {
    const asked = new URLSearchParams({ picture: key, space: answers.space, deliveries: answers.deliveries.join(','), base: answers.base });
    if (image) asked.set('image', image);
    else asked.set('stand_in', standIn);
    return `/api/v1/start/picture?${asked.toString()}`;
  };
  const chosen = options.pictures.find(({ key }) => key === answers.picture);
  return (
    <section className="block" aria-label="Which picture?">
      <div className="row spread">
        <h2>Which picture?</h2>
        {!image && (
          <Segments
            aria-label="Picture to judge by"
            value={standIn}
            onChange={setStandIn}
            data={[
              { value: 'lamps', label: 'Saturated lamps' },
              { value: 'rig', label: 'The rig' },
            ]}
          />
        )}
      </div>
      <Radio.Group aria-label="Which picture?" value={answers.picture} onChange={onChoose}>
        <div className={classes.pictures}>
          {options.pictures.map(({ key, label }) => (
            <Radio.Card key={key} value={key} className={`plate ${classes.picture} ${key === answers.picture ? classes.chosen : ''}`}>
              <img src={source(key)} alt={`Through ${label}`} onLoad={() => setSeen(source(key))} />
              <span className={classes.caption}>{label}</span>
            </Radio.Card>
          ))}
        </div>
      </Radio.Group>
      {!image && standIn === 'rig' && !seen.includes('stand_in=rig') && (
        <p className="small" role="status">
          Rendering the rig …
        </p>
      )}
      <p className="small">
        <strong>{chosen?.label}</strong> {chosen?.does}
        {!image && <span className="quiet"> {STAND_INS[standIn]}</span>}{' '}
        <Link to="/screen" target="_blank">
          Is this screen fit to judge on?
        </Link>
      </p>
    </section>
  );
}

const percent = (share: number) => `${Math.round(share * 100)} %`;

function Facts({ facts }: { facts: Schemas['StartFacts'] }) {
  const chosen = facts.spaces.find((space) => space.chosen);
  return (
    <section className="block" aria-label="What it leads to">
      <h2>What it leads to</h2>
      {facts.told.map((said) => (
        <p key={said} className="small" role="status">
          {said}
        </p>
      ))}
      <dl className="facts wide">
        <dt>Working space</dt>
        <dd>
          <span className="mono">{facts.working_space}</span>: holds {percent(chosen?.surfaces ?? 0)} of surface colours
        </dd>
        <dt>Displays</dt>
        <dd>
          {facts.displays.map(({ display, view, covered }) => (
            <div key={display}>
              {display}: {view}, {percent(covered)} held
            </div>
          ))}
        </dd>
        <dt>Textures</dt>
        <dd>{facts.rules.join('; ')}</dd>
        <dt>Applications</dt>
        <dd>{facts.applications.join(' → ') || 'none'}</dd>
        <dt>Outputs</dt>
        <dd>{facts.outputs.join(', ') || 'none'}</dd>
      </dl>
    </section>
  );
}

/** What each working space can hold, in one picture: the grey area is Pointer's gamut of surface colours. */
function Spaces({ spaces }: { spaces: Schemas['StartFacts']['spaces'] }) {
  return (
    <section className="block" aria-label="What each working space holds">
      <h2>What each working space holds</h2>
      <div className={classes.spaces}>
        <GamutPlot kind="uv" gamuts={spaces.map(({ name, primaries }) => ({ name, primaries }))} />
        <table className="list small">
          <thead>
            <tr>
              <th>Space</th>
              <th>Surfaces</th>
              <th>P3</th>
              <th>Rec.2020</th>
            </tr>
          </thead>
          <tbody>
            {spaces.map(({ name, surfaces, p3, rec2020, chosen }) => (
              <tr key={name}>
                <td className="mono">
                  {name} {chosen && <span className="quiet">chosen</span>}
                </td>
                <td className="mono">{percent(surfaces)}</td>
                <td className="mono">{percent(p3)}</td>
                <td className="mono">{percent(rec2020)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

const MOST_SHOWN = 12;

/** What names of textures tell, those that leave it open first. */
function Names({ answers, names }: { answers: Answers; names: string[] }) {
  const told = useQuery({
    queryKey: ['start-names', answers.base, answers.space, names],
    queryFn: () => body(api.POST('/api/v1/start/names', { body: { answers, names: names.slice(0, 2000) } })),
    placeholderData: (before) => before,
  });
  if (told.error) return <p role="alert">{told.error.message}</p>;
  const open = told.data?.filter(({ kind }) => !kind) ?? [];
  const sorted = [...open, ...(told.data?.filter(({ kind }) => kind) ?? [])];
  return (
    <section className="block" aria-label="What the names tell">
      <h2>What the names tell</h2>
      <p className="small" role="status">
        {counted(names.length, 'name')}, {open.length === 0 ? 'all of them tell their map kind' : `${open.length} leave the map kind open`}.
      </p>
      <table className="list small">
        <tbody>
          {sorted.slice(0, MOST_SHOWN).map(({ name, kind, word, space }) => (
            <tr key={name}>
              <td className="mono">{name}</td>
              <td>{kind ? `${kind}, by “${word}”` : 'open: no word that is known'}</td>
              <td className="mono">{space}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
