import { Button, Checkbox, Select, TextInput } from '@mantine/core';
import { Fragment } from 'react';

import { api, body, type Schemas } from '../api/client';
import { type Station, useAbilities, useChange, useOwnFindings, useStationKinds, useStations } from '../api/hooks';
import { LevelMark } from '../shared/marks';
import { Sortable, SortableItem } from '../shared/Sortable';
import { Empty, Loaded } from '../shared/states';
import { useRemoval } from '../shared/useUndo';
import { useRemembered } from '../shared/remembered';
import { Sheet } from './Sheet';

type Kind = NonNullable<Schemas['NewStation']['kind']>;

const READS: Record<Schemas['ReadsEnum'], string> = { textures: 'reads textures, writes renders', renders: 'reads renders' };

/** The chain of applications, and what must be set in each. */
export function Handoffs() {
  const stations = useStations();
  const findings = useOwnFindings();
  const [chosen, setChosen] = useRemembered<number | undefined>('selected application', undefined);
  return (
    <Loaded of={stations}>
      {(listed) => {
        const station = listed.find(({ id }) => id === chosen) ?? listed[0];
        const failing = new Set(
          findings.data
            ?.filter(({ code, level }) => code.startsWith('handoff.') && level === 'blocker')
            .map(({ subject }) => subject),
        );
        if (!station) {
          return (
            <Empty>
              <p>The chain is empty. Start with the shortest one, or add your own first application.</p>
              <FirstChain />
              <NewStation onAdded={setChosen} />
            </Empty>
          );
        }
        return (
          <div className="columns">
            <section className="column" aria-label="Applications">
              <h2>
                Applications <span className="quiet small">in the order of work</span>
              </h2>
              <Chain listed={listed} chosen={station} failing={failing} onChoose={setChosen} />
              <StationForm key={station.id} station={station} />
              <NewStation onAdded={setChosen} />
            </section>
            <Sheet key={`sheet-${station.id}`} station={station} />
          </div>
        );
      }}
    </Loaded>
  );
}

/** The applications from first to last, with what goes from one to the next. */
function Chain({
  listed,
  chosen,
  failing,
  onChoose,
}: {
  listed: Station[];
  chosen: Station;
  failing: Set<string>;
  onChoose: (id: number) => void;
}) {
  const order = useChange((slug, stations: number[]) =>
    body(api.PUT('/api/v1/projects/{slug}/station-order', { params: { path: { slug } }, body: { stations } })),
  );
  const asDropped = order.isPending ? order.variables.flatMap((id) => listed.find((item) => item.id === id) ?? []) : listed;
  return (
    <Sortable keys={asDropped.map(({ id }) => id)} onOrder={(ids) => order.mutate(ids)}>
      {asDropped.map((item, index) => (
        <Fragment key={item.id}>
          {index > 0 && (
            <p className="quiet small" style={{ paddingLeft: 14 }}>
              ↓ scene-linear EXR, half float, no view
            </p>
          )}
          <SortableItem id={item.id} label={item.name} className={`card ${item.id === chosen.id ? 'chosen' : ''}`}>
            <button className="bare" aria-current={item.id === chosen.id} onClick={() => onChoose(item.id)}>
              <strong className="row">
                {failing.has(item.name) && <LevelMark level="blocker" />} {item.name}
              </strong>
              <span className="quiet small">{READS[item.reads as Schemas['ReadsEnum']]}</span>
            </button>
          </SortableItem>
        </Fragment>
      ))}
    </Sortable>
  );
}

/** What a station can do decides what its sheet says. */
function StationForm({ station }: { station: Station }) {
  const abilities = useAbilities();
  const remove = useRemoval((slug) =>
    body(api.DELETE('/api/v1/projects/{slug}/stations/{id}', { params: { path: { slug, id: station.id } } })),
    station.name,
  );
  const change = useChange((slug, said: Station['abilities']) =>
    body(
      api.PUT('/api/v1/projects/{slug}/stations/{id}', {
        params: { path: { slug, id: station.id } },
        body: { abilities: said, based_on: station.version },
      }),
    ),
  );
  return (
    <div className="block" style={{ marginTop: 8 }}>
      <h3>What the {station.name.toLowerCase()} can do</h3>
      {abilities.data
        ?.filter(({ key, where }) => key in station.abilities && Object.entries(where).every(([other, value]) => station.abilities[other] === value))
        .map((ability) => (
          <AbilityField
            key={ability.key}
            ability={ability}
            value={station.abilities[ability.key] ?? ability.default}
            isPending={change.isPending}
            onChange={(value) => change.mutate({ [ability.key]: value })}
          />
        ))}
      <div>
        <Button size="compact-xs" variant="subtle" loading={remove.isPending} onClick={() => remove.mutate(undefined)}>
          Remove
        </Button>
      </div>
    </div>
  );
}

type AbilityValue = Station['abilities'][string];

/** A choice where the ability has some, else yes or no. */
function AbilityField({
  ability,
  value,
  isPending,
  onChange,
}: {
  ability: Schemas['Ability'];
  value: AbilityValue;
  isPending: boolean;
  onChange: (value: AbilityValue) => void;
}) {
  return ability.choices.length ? (
    <Select
      label={ability.label}
      description={ability.effect}
      data={ability.choices}
      value={String(value)}
      disabled={isPending}
      allowDeselect={false}
      onChange={(chosen) => chosen && onChange(chosen)}
    />
  ) : (
    <Checkbox
      size="xs"
      label={ability.label}
      description={ability.effect}
      color="neutral"
      checked={value === true}
      disabled={isPending}
      onChange={(event) => onChange(event.currentTarget.checked)}
    />
  );
}

/** A renderer that hands to a compositor, to see at once what their sheets say. */
function FirstChain() {
  const add = useChange(async (slug) => {
    const path = { slug };
    await body(
      api.POST('/api/v1/projects/{slug}/stations', { params: { path }, body: { name: 'Renderer', kind: 'renderer', reads: 'textures' } }),
    );
    await body(
      api.POST('/api/v1/projects/{slug}/stations', {
        params: { path },
        body: { name: 'Compositor', kind: 'compositor-nodes', reads: 'renders' },
      }),
    );
  });
  return (
    <Button variant="filled" loading={add.isPending} onClick={() => add.mutate(undefined)}>
      Add a renderer and a compositor
    </Button>
  );
}

/** One more application at the end of the chain, of a kind whose abilities can be changed then. */
function NewStation({ onAdded }: { onAdded: (id: number) => void }) {
  const kinds = useStationKinds();
  const [name, setName] = useRemembered('new application', '');
  const [kind, setKind] = useRemembered<Kind>('kind of the new application', 'compositor-nodes');
  const add = useChange((slug) =>
    body(api.POST('/api/v1/projects/{slug}/stations', { params: { path: { slug } }, body: { name, kind, reads: 'renders' } })),
  );
  const chosen = kinds.data?.find(({ key }) => key === kind);
  return (
    <form
      className="block"
      aria-label="New application"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate(undefined, {
          onSuccess: ({ id }) => {
            setName('');
            onAdded(id);
          },
        });
      }}
    >
      <h3>Add an application</h3>
      <TextInput
        label="Name"
        value={name}
        maxLength={80}
        error={add.error?.message}
        onChange={(event) => setName(event.currentTarget.value)}
      />
      <Select
        label="What it is"
        description={chosen?.does}
        data={(kinds.data ?? []).map(({ key, label }) => ({ value: key, label }))}
        value={kind}
        allowDeselect={false}
        onChange={(value) => value && setKind(value as Kind)}
      />
      <div>
        <Button type="submit" disabled={!name.trim()} loading={add.isPending}>
          Add
        </Button>
      </div>
    </form>
  );
}
