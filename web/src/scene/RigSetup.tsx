import { Button, Select } from '@mantine/core';
import { useDisclosure } from '@mantine/hooks';
import { useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { isBusy, useChange, useJobs, useProject, useRig, useSlug, useSwatches } from '../api/hooks';
import { baseName } from '../shared/numbers';
import { Progressing } from '../shared/Progressing';
import { NO_FILTERS } from '../textures/filters';
import { useFirstTextures } from '../textures/useTextureList';
import { NumberField } from '../shared/NumberField';
import { asked, type LightMix } from './useLightMix';

const SIZES = ['320x180', '640x360', '960x540', '1280x720', '1920x1080'];
const NONE = '';
const SWATCH = 'swatch:';

/** What lies on the rig, and a better picture of it as a render. */
export function RigSetup({ mix }: { mix: LightMix }) {
  const rig = useRig();
  const project = useProject();
  const swatches = useSwatches();
  const [opened, { toggle }] = useDisclosure(false);
  const set = useChange((slug, change: { swatch?: string; slot?: string; path?: string }) =>
    body(
      api.PUT('/api/v1/projects/{slug}/rig', {
        params: { path: { slug } },
        body: {
          based_on: project.data?.revision.number ?? 0,
          swatch: change.swatch ?? rig.data?.swatch ?? NONE,
          inputs: (rig.data?.slots ?? [])
            .map(({ name, path }) => ({ slot: name, path: name === change.slot ? (change.path ?? NONE) : path }))
            .filter(({ path }) => path !== NONE),
        },
      }),
    ),
  );
  if (!rig.data) return null;
  const swatchItems = (swatches.data ?? []).map(({ name }) => ({ value: SWATCH + name, label: `swatch ${name}` }));
  return (
    <div className="block">
      <h2>On the rig</h2>
      <Select
        label="Swatch ball"
        data={[{ value: NONE, label: 'middle grey' }, ...(swatches.data ?? []).map(({ name }) => name)]}
        value={rig.data.swatch}
        allowDeselect={false}
        disabled={set.isPending}
        onChange={(swatch) => set.mutate({ swatch: swatch ?? NONE })}
      />
      <button className="bare small" aria-expanded={opened} onClick={toggle}>
        {opened ? '−' : '+'} Materials and lights of the rig{' '}
        <span className="quiet">{rig.data.slots.filter(({ path }) => path).length} chosen</span>
      </button>
      {opened &&
        rig.data.slots.map((slot) => (
          <SlotSelect
            key={slot.name}
            slot={slot}
            swatches={swatchItems}
            disabled={set.isPending}
            onChange={(path) => set.mutate({ slot: slot.name, path })}
          />
        ))}
      <RenderIt mix={mix} />
    </div>
  );
}

/** What lies in one place of the rig; of many textures the first that are found by what is typed. */
function SlotSelect({
  slot,
  swatches,
  disabled,
  onChange,
}: {
  slot: Schemas['Slot'];
  swatches: { value: string; label: string }[];
  disabled: boolean;
  onChange: (path: string) => void;
}) {
  const [sought, setSought] = useState('');
  const none = slot.name === 'ball' ? 'the swatch’s own values' : 'the rig’s own';
  const chosen = swatches.find(({ value }) => value === slot.path)?.label ?? (slot.path || none);
  // The field holds what is chosen until something is typed.
  const found = useFirstTextures({ ...NO_FILTERS, sought: sought === chosen ? '' : sought }, 200);
  const fitting = (found.data?.textures ?? [])
    .filter(({ kind }) => !kind || kind.group === slot.group)
    .map(({ path }) => path);
  const isTexture = slot.path !== NONE && !slot.path.startsWith(SWATCH);
  return (
    <Select
      label={slot.label}
      description={slot.path && slot.space && `${baseName(slot.path)}, read as ${slot.space}`}
      data={[
        { value: NONE, label: none },
        ...(slot.takes_swatch ? [{ group: 'Swatches', items: swatches }] : []),
        { group: 'Textures', items: [...new Set([...(isTexture ? [slot.path] : []), ...fitting])] },
      ]}
      value={slot.path}
      allowDeselect={false}
      searchable
      onSearchChange={setSought}
      disabled={disabled}
      onChange={(path) => onChange(path ?? NONE)}
    />
  );
}

/** Start a picture of the rig as a job, and follow it. */
function RenderIt({ mix }: { mix: LightMix }) {
  const slug = useSlug();
  const jobs = useJobs();
  const [size, setSize] = useState('640x360');
  const [samples, setSamples] = useState<number | string>(16);
  const start = useChange(() => {
    const [width = 0, height = 0] = size.split('x').map(Number);
    return body(
      api.POST('/api/v1/projects/{slug}/rig/renders', {
        params: { path: { slug } },
        body: { mistake: '', mapping: '', white: 4, ...asked(mix), width, height, samples: Number(samples) },
      }),
    );
  });
  const cancel = useChange((_, id: number) =>
    body(api.POST('/api/v1/projects/{slug}/jobs/{id}/cancel', { params: { path: { slug, id } } })),
  );
  const running = jobs.data?.find((job) => job.kind === 'render-rig' && isBusy(job));
  if (running) {
    return (
      <Progressing
        share={running.share}
        doing={running.message || `${running.title}: waiting`}
        onCancel={() => cancel.mutate(running.id)}
      />
    );
  }
  return (
    <form
      className="block"
      onSubmit={(event) => {
        event.preventDefault();
        start.mutate(undefined);
      }}
    >
      <div className="row" style={{ alignItems: 'flex-end' }}>
        <Select label="Size" w={120} data={SIZES} value={size} allowDeselect={false} onChange={(value) => value && setSize(value)} />
        <NumberField label="Samples" w={84} value={samples} onChange={setSamples} min={1} max={1024} />
        <Button type="submit" loading={start.isPending}>
          Render
        </Button>
      </div>
      {start.error && <p role="alert">{start.error.message}</p>}
      <p className="quiet small">A multi-layer EXR among the renders; the picture here gets better with it.</p>
    </form>
  );
}
