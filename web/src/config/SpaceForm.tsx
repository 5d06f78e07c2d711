import { Button, SegmentedControl, Select, TextInput } from '@mantine/core';

import type { Schemas } from '../api/client';
import { useProject, useViewFamilies, type ViewChoice } from '../api/hooks';
import { ViewPair } from '../shared/ViewSelects';
import type { FormProposal } from '../shared/proposal';
import { useRemembered } from '../shared/remembered';
import { NumberField } from '../shared/NumberField';

export type AddedSpace = Required<Schemas['AddedSpace']>;

const CORNERS = ['red', 'green', 'blue', 'white'];

const MARKED = ['name', 'power', 'chromaticities', 'interop_id', 'view'];

/** A colour space from primaries, white and a curve, or from an interop ID. */
export function SpaceForm({
  onAdd,
  onCancel,
  form,
}: {
  onAdd: (space: AddedSpace) => void;
  onCancel: () => void;
  form: FormProposal;
}) {
  const offered = useViewFamilies();
  const gamuts = offered.data?.gamuts ?? [];
  const [changed, setChanged] = useRemembered<Partial<AddedSpace>>('new space', {});
  const space: AddedSpace = {
    name: '',
    chromaticities: gamuts.find(({ name }) => name === 'Rec.709')?.chromaticities ?? Array<number>(8).fill(0),
    curve: 'linear',
    power: 2.2,
    aliases: [],
    family: '',
    description: '',
    interop_id: '',
    display: '',
    view: '',
    ...changed,
  };
  const [from, setFrom] = useRemembered<'primaries' | 'id' | 'view'>('new space from', 'primaries');
  const project = useProject();
  const [chosen, setUndone] = useRemembered<ViewChoice | undefined>('new space undoes', undefined);
  const undone = chosen ?? project.data?.setup.view ?? { display: '', view: '', look: '' };
  const set = (part: Partial<AddedSpace>) => setChanged({ ...changed, ...part });
  const known = gamuts.find(({ chromaticities }) => chromaticities.join() === space.chromaticities.join());
  return (
    <form
      className="card chosen block"
      aria-label="New space"
      onSubmit={(event) => {
        event.preventDefault();
        onAdd({
          ...space,
          interop_id: from === 'id' ? space.interop_id : '',
          ...(from === 'view' ? { display: undone.display, view: undone.view } : { display: '', view: '' }),
        });
      }}
    >
      <SegmentedControl
        aria-label="Made from"
        value={from}
        onChange={(value) => setFrom(value as typeof from)}
        data={[
          { value: 'primaries', label: 'from primaries and a curve' },
          { value: 'id', label: 'from an interop ID' },
          { value: 'view', label: 'by undoing a view' },
        ]}
        style={{ alignSelf: 'flex-start' }}
      />
      <div className="row" style={{ alignItems: 'flex-end' }}>
        <TextInput
          label="Name"
          value={space.name}
          error={form.errorAt('name', MARKED)}
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
      {from === 'view' ? (
        <>
          <div className="row">
            <ViewPair label="undone" choice={undone} onChange={setUndone} />
          </div>
          {form.errorAt('view', MARKED) && <p role="alert">{form.errorAt('view', MARKED)}</p>}
          <p className="quiet small">
            For finished pictures, such as plates: undone, they look behind the render as they did on the display.
            Materials must not be read so.
          </p>
        </>
      ) : from === 'id' ? (
        <Select
          label="Interop ID"
          error={form.errorAt('interop_id', MARKED)}
          searchable
          placeholder="Type srgb, rec2020, log …"
          data={offered.data?.interop_ids.map(({ key, label }) => ({ value: key, label: `${key}: ${label}` })) ?? []}
          value={space.interop_id || null}
          onChange={(id) => {
            const called = offered.data?.interop_ids.find(({ key }) => key === id)?.label ?? '';
            if (id) set({ interop_id: id, name: space.name || called });
          }}
        />
      ) : (
        <>
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
            <Select label="Curve" data={offered.data?.curves.map(({ key, label }) => ({ value: key, label })) ?? []} value={space.curve} onChange={(curve) => curve && set({ curve: curve as AddedSpace['curve'] })} />
            {space.curve === 'power' && (
              <NumberField size="xs" label="Power" w={90} error={form.errorAt('power', MARKED)} step={0.1} value={space.power} onChange={(value) => set({ power: Number(value) })} />
            )}
          </div>
          <div className="row wrap">
            {CORNERS.map((corner, index) => (
              <div key={corner} className="row">
                <span className="quiet small" style={{ width: 36 }}>
              {corner}
            </span>
                {[0, 1].map((axis) => (
                  <NumberField
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
          {form.errorAt('chromaticities', MARKED) && <p role="alert">{form.errorAt('chromaticities', MARKED)}</p>}
          <p className="quiet small">CIE 1931 x and y. The white is adapted to the config’s by Bradford’s method.</p>
        </>
      )}
      {form.errorAt('', MARKED) && <p role="alert">{form.errorAt('', MARKED)}</p>}
      <div className="row">
        <Button type="submit" variant="filled" loading={form.isBusy} disabled={!space.name.trim() || (from === 'id' && !space.interop_id)}>
          Add the space
        </Button>
        <Button onClick={onCancel}>Cancel</Button>
      </div>
    </form>
  );
}
