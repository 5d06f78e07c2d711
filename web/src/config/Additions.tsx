import { Button, NumberInput, Select, TextInput } from '@mantine/core';
import { useState } from 'react';

import type { Schemas } from '../api/client';
import { useChangeSetup, useProject, useViewFamilies } from '../api/hooks';

type AddedSpace = Required<Schemas['AddedSpace']>;
type AddedLook = Required<Schemas['AddedLook']>;

const CURVES = [
  { value: 'linear', label: 'linear' },
  { value: 'srgb', label: 'sRGB curve' },
  { value: 'power', label: 'power' },
];
const CORNERS = ['red', 'green', 'blue', 'white'];
const TRIPLES = ['slope', 'offset', 'power'] as const;
const NEUTRAL: AddedLook = {
  name: '',
  slope: [1, 1, 1],
  offset: [0, 0, 0],
  power: [1, 1, 1],
  saturation: 1,
  description: '',
};

/** Spaces and looks that the project adds to its config. */
export function Additions() {
  const project = useProject();
  const change = useChangeSetup();
  const [adding, setAdding] = useState<'space' | 'look'>();
  const spaces = (project.data?.setup.added_spaces ?? []) as AddedSpace[];
  const looks = (project.data?.setup.added_looks ?? []) as AddedLook[];
  const done = { onSuccess: () => setAdding(undefined) };
  return (
    <>
      <div className="block">
        <h3>Spaces of the project’s own</h3>
        {spaces.length === 0 && <p className="quiet small">None; all spaces come with the config.</p>}
        {spaces.map((space) => (
          <Added
            key={space.name}
            name={space.name}
            busy={change.isPending}
            onRemove={() =>
              change.mutate({
                added_spaces: spaces.filter((kept) => kept !== space),
                message: `Space ${space.name} taken out`,
              })
            }
          />
        ))}
        {adding === 'space' ? (
          <SpaceForm
            busy={change.isPending}
            onCancel={() => setAdding(undefined)}
            onAdd={(space) =>
              change.mutate({ added_spaces: [...spaces, space], message: `Space ${space.name} added` }, done)
            }
          />
        ) : (
          <div>
            <Button disabled={change.isPending} onClick={() => setAdding('space')}>
              Add a space
            </Button>
          </div>
        )}
      </div>
      <div className="block">
        <h3>Looks of the project’s own</h3>
        {looks.length === 0 && <p className="quiet small">None; looks of the config can be chosen with a view.</p>}
        {looks.map((look) => (
          <Added
            key={look.name}
            name={look.name}
            note={look.description}
            busy={change.isPending}
            onRemove={() =>
              change.mutate({
                added_looks: looks.filter((kept) => kept !== look),
                message: `Look ${look.name} taken out`,
              })
            }
          />
        ))}
        {adding === 'look' ? (
          <LookForm
            busy={change.isPending}
            onCancel={() => setAdding(undefined)}
            onAdd={(look) => change.mutate({ added_looks: [...looks, look], message: `Look ${look.name} added` }, done)}
          />
        ) : (
          <div>
            <Button disabled={change.isPending} onClick={() => setAdding('look')}>
              Add a look
            </Button>
          </div>
        )}
      </div>
    </>
  );
}

function Added({
  name,
  note,
  onRemove,
  busy,
}: {
  name: string;
  note?: string;
  onRemove: () => void;
  busy: boolean;
}) {
  return (
    <div className="row spread">
      <span>
        {name} <span className="quiet small">{note}</span>
      </span>
      <Button size="compact-xs" disabled={busy} onClick={onRemove} aria-label={`Take out ${name}`}>
        Take out
      </Button>
    </div>
  );
}

function SpaceForm({
  onAdd,
  onCancel,
  busy,
}: {
  onAdd: (space: AddedSpace) => void;
  onCancel: () => void;
  busy: boolean;
}) {
  const offered = useViewFamilies();
  const gamuts = offered.data?.gamuts ?? [];
  const [space, setSpace] = useState<AddedSpace>({
    name: '',
    chromaticities: gamuts.find(({ name }) => name === 'Rec.709')?.chromaticities ?? Array<number>(8).fill(0),
    curve: 'linear',
    power: 2.2,
    aliases: [],
    family: '',
    description: '',
  });
  const set = (part: Partial<AddedSpace>) => setSpace({ ...space, ...part });
  const known = gamuts.find(({ chromaticities }) => chromaticities.join() === space.chromaticities.join());
  return (
    <form
      className="card chosen block"
      aria-label="New space"
      onSubmit={(event) => {
        event.preventDefault();
        onAdd(space);
      }}
    >
      <div className="row" style={{ alignItems: 'flex-end' }}>
        <TextInput
          label="Name"
          value={space.name}
          onChange={(event) => set({ name: event.currentTarget.value })}
          style={{ flex: 1 }}
        />
        <TextInput
          label="Aliases"
          placeholder="one, two"
          value={space.aliases.join(', ')}
          onChange={(event) => set({ aliases: event.currentTarget.value.split(/\s*,\s*/).filter(Boolean) })}
        />
      </div>
      <div className="row" style={{ alignItems: 'flex-end' }}>
        <Select
          label="Primaries of"
          placeholder="typed below"
          data={gamuts.map(({ name }) => name)}
          value={known?.name ?? null}
          onChange={(name) => {
            const chosen = gamuts.find((gamut) => gamut.name === name);
            if (chosen) set({ chromaticities: chosen.chromaticities });
          }}
        />
        <Select label="Curve" data={CURVES} value={space.curve} onChange={(curve) => curve && set({ curve: curve as AddedSpace['curve'] })} />
        {space.curve === 'power' && (
          <NumberInput size="xs" label="Power" w={90} step={0.1} value={space.power} onChange={(value) => set({ power: Number(value) })} />
        )}
      </div>
      <div className="row wrap">
        {CORNERS.map((corner, index) => (
          <div key={corner} className="row">
            <span className="quiet small">{corner}</span>
            {[0, 1].map((axis) => (
              <NumberInput
                key={axis}
                size="xs"
                w={78}
                hideControls
                aria-label={`${corner} ${axis === 0 ? 'x' : 'y'}`}
                value={space.chromaticities[index * 2 + axis]}
                onChange={(value) =>
                  set({
                    chromaticities: space.chromaticities.map((kept, at) =>
                      at === index * 2 + axis ? Number(value) : kept,
                    ),
                  })
                }
              />
            ))}
          </div>
        ))}
      </div>
      <p className="quiet small">CIE 1931 x and y. The white is adapted to the config’s by Bradford’s method.</p>
      <div className="row">
        <Button type="submit" variant="filled" loading={busy} disabled={!space.name.trim()}>
          Add the space
        </Button>
        <Button onClick={onCancel}>Cancel</Button>
      </div>
    </form>
  );
}

function LookForm({
  onAdd,
  onCancel,
  busy,
}: {
  onAdd: (look: AddedLook) => void;
  onCancel: () => void;
  busy: boolean;
}) {
  const offered = useViewFamilies();
  const [look, setLook] = useState<AddedLook>(NEUTRAL);
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
          onChange={(event) => setLook({ ...look, name: event.currentTarget.value })}
          style={{ flex: 1 }}
        />
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
      </div>
      {TRIPLES.map((triple) => (
        <div key={triple} className="row">
          <span className="quiet small" style={{ width: 64 }}>
            {triple}
          </span>
          {['red', 'green', 'blue'].map((channel, index) => (
            <NumberInput
              key={channel}
              size="xs"
              w={92}
              step={0.01}
              decimalScale={4}
              aria-label={`${triple} ${channel}`}
              value={look[triple][index]}
              onChange={(value) =>
                setLook({ ...look, [triple]: look[triple].map((kept, at) => (at === index ? Number(value) : kept)) })
              }
            />
          ))}
        </div>
      ))}
      <NumberInput
        size="xs"
        w={160}
        label="Saturation"
        step={0.05}
        value={look.saturation}
        onChange={(value) => setLook({ ...look, saturation: Number(value) })}
      />
      <p className="quiet small">ASC CDL, applied in the space of the role color_timing, before the view.</p>
      <div className="row">
        <Button type="submit" variant="filled" loading={busy} disabled={!look.name.trim()}>
          Add the look
        </Button>
        <Button onClick={onCancel}>Cancel</Button>
      </div>
    </form>
  );
}
