import { Button, Checkbox, FileButton, NumberInput, Select } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { api, body, type Schemas, send } from '../api/client';
import { type Station, useChange, useRenders, useSlug } from '../api/hooks';
import { GuideMark } from '../guide/GuideMark';
import { FirstRender } from '../scene/FirstRender';
import { useRemembered } from '../shared/remembered';
import { dayAndTime } from '../shared/dates';
import { Loaded } from '../shared/states';
import { Captioned } from './Captioned';
import classes from './Chain.module.css';
import { Nearest } from './Nearest';
import { PictureChain } from './PictureChain';
import { Rescue } from './Rescue';
import { Rolloff } from './Rolloff';
import { LEVELS } from './Sheet';

type Explanation = Schemas['Explanation'];

const UNSAID = '';

/** A picture that came back says what was done to it, and which setting repairs it. */
export function Explain({ station }: { station: Station }) {
  const slug = useSlug();
  const renders = useRenders();
  const [render, setRender] = useRemembered<number | undefined>('render that a picture should show', undefined);
  const [light, setLight] = useState(false);
  const [of, setOf] = useState(String(station.id));
  const known = useQuery({
    queryKey: [slug, 'explanations'],
    queryFn: () => body(api.GET('/api/v1/projects/{slug}/explanations', { params: { path: { slug } } })),
  });
  const chosen = renders.data?.find(({ id }) => id === render) ?? renders.data?.[0];
  const [frame, setFrame] = useState(1);
  const explain = useChange((_, { file, beside }: { file: File; beside?: number }) =>
    send<Explanation>(`/api/v1/projects/${slug}/explanations`, {
      file,
      render: String(beside),
      expects_light: String(light),
      frame: String(frame),
      ...(of === UNSAID ? {} : { station: of }),
    }),
  );
  if (renders.data?.length === 0) {
    return (
      <section className="column" aria-label="Explain">
        <FirstRender what="A picture is explained beside the render that it should show." />
      </section>
    );
  }
  return (
    <section
      className="column"
      aria-label="Explain"
      onDragOver={(event) => {
        event.preventDefault();
        event.stopPropagation();
      }}
      onDrop={(event) => {
        event.preventDefault();
        event.stopPropagation();
        const file = event.dataTransfer.files[0];
        if (file) explain.mutate({ file, beside: chosen?.id });
      }}
    >
      <h2 className="row">
        Explain a picture that came back <GuideMark to="guide/explain#a-picture-that-came-back" about="Explain" />
      </h2>
      <div className="row wrap" style={{ alignItems: 'flex-end' }}>
        <Select
          size="xs"
          label="It should show"
          data={renders.data?.map(({ id, name }) => ({ value: String(id), label: name })) ?? []}
          value={String(chosen?.id ?? '')}
          allowDeselect={false}
          onChange={(id) => {
            setRender(Number(id));
            if (explain.variables) explain.mutate({ ...explain.variables, beside: Number(id) });
          }}
        />
        <Select
          size="xs"
          label="It came from"
          data={[
            { value: String(station.id), label: station.name },
            { value: UNSAID, label: 'not known' },
          ]}
          value={of}
          allowDeselect={false}
          onChange={(id) => setOf(id ?? UNSAID)}
        />
        <NumberInput size="xs" w={110} label="Frame of a video" min={1} allowDecimal={false} value={frame} onChange={(value) => setFrame(Number(value) || 1)} />
        <Checkbox
          size="xs"
          color="neutral"
          label="It should hold light, without a view"
          checked={light}
          onChange={(event) => setLight(event.currentTarget.checked)}
          style={{ paddingBottom: 8 }}
        />
        <FileButton onChange={(file) => file && explain.mutate({ file, beside: chosen?.id })} accept=".png,.jpg,.jpeg,.tif,.tiff,.exr,.avif,.jxl,.hdr,.dpx,.mp4,.mov,.m4v,.mkv,.webm">
          {(props) => (
            <Button {...props} size="xs" disabled={explain.isPending}>
              {explain.isPending ? 'Looking at it: some seconds …' : 'Choose or drop a picture'}
            </Button>
          )}
        </FileButton>
      </div>
      {explain.error && <p role="alert">{explain.error.message}</p>}
      <Loaded of={known}>
        {(listed) =>
          listed.length === 0 ? (
            <p className="quiet">
              Too dark, washed out, neon green? Drop the picture here: it is held beside the render, and what was done to it is
              told in one sentence, with the setting that repairs it.
            </p>
          ) : (
            <>
              {listed.map((made, at) => (
                <Told key={made.id} made={made} isLast={at === 0} />
              ))}
            </>
          )
        }
      </Loaded>
    </section>
  );
}

/** The setting that repairs it, or, where nobody said which application it came from, those that may. */
function Repairs({ made }: { made: Explanation }) {
  const told = made.repair.map(({ station, code, label, level }) => (
    <li key={`${station} ${code}`}>
      In {station}: {label.toLowerCase()}, set in {LEVELS[level]}
    </li>
  ));
  if (told.length === 0) return null;
  return (
    <div className="small">
      <ul style={{ margin: 0, paddingLeft: 18 }}>{told}</ul>
      {made.station ? 'Its settings say what it should be.' : 'One of these applications may have done it; its settings say what it should be.'}
    </div>
  );
}

function Told({ made, isLast }: { made: Explanation; isLast: boolean }) {
  const slug = useSlug();
  const [open, setOpen] = useState(isLast);
  const picture = (which: string) => `/api/v1/projects/${slug}/explanations/${made.id}/${which}`;
  const forget = useChange(() =>
    body(api.DELETE('/api/v1/projects/{slug}/explanations/{id}', { params: { path: { slug, id: made.id } } })),
  );
  return (
    <div className="card block" role="group" aria-label={`Explanation of ${made.name}`}>
      <div className="row spread">
        <button type="button" className="bare" aria-expanded={open} onClick={() => setOpen(!open)}>
          <strong>{made.sentence}</strong>
        </button>
        <Button size="compact-xs" variant="subtle" style={{ flexShrink: 0 }} loading={forget.isPending} onClick={() => forget.mutate(undefined)}>
          Forget
        </Button>
      </div>
      <PictureChain parts={made.chain} />
      <Repairs made={made} />
      {made.alternatives.length > 0 && (
        <p className="small quiet">
          As likely: {made.alternatives.map((chain) => chain.map(({ code }) => String(code)).join(', ')).join('; ')}.
        </p>
      )}
      {open && (
        <div className={classes.pictures}>
          <Captioned source={picture('came')} boxes={made.places?.boxes}>
            As it came: {made.name}
            {made.frame !== null && `, frame ${made.frame}`}
            {made.places && '. Boxes show where the image differs'}
          </Captioned>
          {made.verdict !== 'another picture' && <Captioned source={picture('expected')}>As it should be</Captioned>}
          {made.undo.possible && (
            <>
              <Captioned source={picture('repaired')}>As it would be after the repair</Captioned>
              <Captioned source={picture('difference')} spots={made.worst}>
                Difference left: white is ΔE 10{made.worst[0] && `, worst ΔE ${made.worst[0].de.toFixed(1)} where it is ringed`}
              </Captioned>
            </>
          )}
        </div>
      )}
      {open && made.rolloff && <Rolloff rolloff={made.rolloff} />}
      {open && made.nearest && <Nearest nearest={made.nearest} lut={picture('lut')} />}
      {open && made.undo.possible && <Rescue made={made} file={picture('rescue')} />}
      <p className="small quiet">
        {made.confidence > 0 && `${Math.round(100 * made.confidence)} of 100 such answers are right. `}
        {dayAndTime(made.created)}, revision {made.revision}, beside {made.render}
        {made.station && `, from ${made.station}`}. Left: {made.residual.metric} {made.residual.de_mean.toFixed(2)} in the mean, 99 % below{' '}
        {made.residual.de_p99.toFixed(2)}.{made.undo.lost.length > 0 && ` Lost for good: ${made.undo.lost.join(' ')}`}
      </p>
    </div>
  );
}
