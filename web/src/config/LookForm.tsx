import { Button, Select, TextInput } from '@mantine/core';

import type { Schemas } from '../api/client';
import { useViewFamilies } from '../api/hooks';
import { SpaceSelect } from '../shared/SpaceSelect';
import type { FormProposal } from '../shared/proposal';
import { useRemembered } from '../shared/remembered';
import { NumberField } from '../shared/NumberField';

export type AddedLook = Required<Schemas['AddedLook']>;

const TRIPLES = ['slope', 'offset', 'power'] as const;
const NEUTRAL: AddedLook = {
  name: '',
  slope: [1, 1, 1],
  offset: [0, 0, 0],
  power: [1, 1, 1],
  saturation: 1,
  description: '',
  lut: '',
  lut_sha256: '',
  process_space: '',
};

const MARKED = ['name', 'process_space'];

/** A look from ASC CDL values, or one from a LUT file, of which only name and process space are asked. */
export function LookForm({
  begin = NEUTRAL,
  onAdd,
  onCancel,
  form,
}: {
  begin?: AddedLook | undefined;
  onAdd: (look: AddedLook) => void;
  onCancel: () => void;
  form: FormProposal;
}) {
  const offered = useViewFamilies();
  const [look, setLook] = useRemembered<AddedLook>('new look', begin);
  return (
    <form
      className="card chosen block"
      aria-label="New look"
      onSubmit={(event) => {
        event.preventDefault();
        onAdd(look);
      }}
    >
      <div className="row" style={{ alignItems: 'flex-end' }}>
        <TextInput
          label="Name"
          value={look.name}
          error={form.errorAt('name', MARKED)}
          onChange={(event) => setLook({ ...look, name: event.currentTarget.value })}
          style={{ flex: 1 }}
        />
        {!look.lut && (
          <Select
            label="Begin with"
            placeholder="neutral values"
            data={offered.data?.looks.map(({ name }) => name) ?? []}
            value={null}
            onChange={(name) => {
              const chosen = offered.data?.looks.find((candidate) => candidate.name === name);
              if (chosen) setLook(chosen as AddedLook);
            }}
          />
        )}
      </div>
      {!look.lut && <Corrections look={look} onChange={setLook} />}
      <SpaceSelect
        label="Applied in"
          error={form.errorAt('process_space', MARKED)}
        placeholder="the space of the role color_timing"
        clearable
        allowDeselect
        value={look.process_space || null}
        onChange={(space) => setLook({ ...look, process_space: space ?? '' })}
      />
      <p className="quiet small">
        {look.lut
          ? `${look.lut} says nothing of the space it is made for. Ask whoever made it; most are for a logarithm.`
          : 'ASC CDL, applied before the view.'}
      </p>
      {form.errorAt('', MARKED) && <p role="alert">{form.errorAt('', MARKED)}</p>}
      <div className="row">
        <Button type="submit" variant="filled" loading={form.isBusy} disabled={!look.name.trim()}>
          Add the look
        </Button>
        <Button onClick={onCancel}>Cancel</Button>
      </div>
    </form>
  );
}

function Corrections({ look, onChange }: { look: AddedLook; onChange: (look: AddedLook) => void }) {
  return (
    <>
        {TRIPLES.map((triple) => (
          <div key={triple} className="row">
            <span className="quiet small" style={{ width: 64 }}>
              {triple}
            </span>
            {['red', 'green', 'blue'].map((channel, index) => (
              <NumberField
                key={channel}
                size="xs"
                w={92}
                step={0.01}
                decimalScale={4}
                aria-label={`${triple} ${channel}`}
                value={look[triple][index]}
                onChange={(value) =>
                  onChange({ ...look, [triple]: look[triple].map((kept, at) => (at === index ? Number(value) : kept)) })
                }
              />
            ))}
          </div>
        ))}
        <NumberField
          size="xs"
          w={160}
          label="Saturation"
          step={0.05}
          value={look.saturation}
          onChange={(value) => onChange({ ...look, saturation: Number(value) })}
        />
    </>
  );
}
