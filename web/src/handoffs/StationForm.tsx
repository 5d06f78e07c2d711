import { Button, Checkbox, MultiSelect, Select, TextInput } from '@mantine/core';
import { useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { type Station, useAbilities, useChange } from '../api/hooks';
import { useRemoval } from '../shared/useUndo';

type AbilityValue = Station['abilities'][string];

/** The name of an application, what it hands on to whom, and what it can do: that decides what its sheet says. */
export function StationForm({ station, others, onCopied }: { station: Station; others: Station[]; onCopied: (id: number) => void }) {
  const abilities = useAbilities();
  const path = (slug: string) => ({ path: { slug, id: station.id } });
  const remove = useRemoval(
    (slug) => body(api.DELETE('/api/v1/projects/{slug}/stations/{id}', { params: path(slug) })),
    station.name,
  );
  const copy = useChange((slug) =>
    body(
      api.POST('/api/v1/projects/{slug}/stations/{id}/copy', {
        params: path(slug),
        body: { name: freeName(station.name, others) },
      }),
    ),
  );
  const change = useChange((slug, said: Station['abilities']) =>
    body(
      api.PUT('/api/v1/projects/{slug}/stations/{id}', {
        params: path(slug),
        body: { abilities: said, based_on: station.version },
      }),
    ),
  );
  const handOn = useChange((slug, takers: number[]) =>
    body(api.PUT('/api/v1/projects/{slug}/stations/{id}/takers', { params: path(slug), body: { takers } })),
  );
  return (
    <div className="block" style={{ marginTop: 8 }}>
      <NameField station={station} />
      <MultiSelect
        label="Hands on to"
        placeholder={station.hands_on_to.length ? '' : 'nobody yet'}
        data={others.filter(({ id }) => id !== station.id).map(({ id, name }) => ({ value: String(id), label: name }))}
        value={station.hands_on_to.map(String)}
        disabled={handOn.isPending}
        error={handOn.error?.message}
        onChange={(ids) => handOn.mutate(ids.map(Number))}
      />
      <h3>What the {station.name.toLowerCase()} can do</h3>
      {abilities.data
        ?.filter(
          ({ key, where }) =>
            key in station.abilities && Object.entries(where).every(([other, value]) => station.abilities[other] === value),
        )
        .map((ability) => (
          <AbilityField
            key={ability.key}
            ability={ability}
            value={station.abilities[ability.key] ?? ability.default}
            isPending={change.isPending}
            onChange={(value) => change.mutate({ [ability.key]: value })}
          />
        ))}
      <div className="row">
        <Button
          size="compact-xs"
          variant="subtle"
          loading={copy.isPending}
          onClick={() => copy.mutate(undefined, { onSuccess: ({ id }) => onCopied(id) })}
        >
          Copy
        </Button>
        <Button size="compact-xs" variant="subtle" loading={remove.isPending} onClick={() => remove.mutate(undefined)}>
          Remove
        </Button>
      </div>
    </div>
  );
}

function freeName(name: string, others: Station[]) {
  const taken = new Set(others.map((other) => other.name.toLowerCase()));
  for (let number = 2; ; number++) {
    if (!taken.has(`${name} ${number}`.toLowerCase())) return `${name} ${number}`;
  }
}

function NameField({ station }: { station: Station }) {
  const [name, setName] = useState(station.name);
  const rename = useChange((slug) =>
    body(
      api.PUT('/api/v1/projects/{slug}/stations/{id}', {
        params: { path: { slug, id: station.id } },
        body: { name, based_on: station.version },
      }),
    ),
  );
  const save = () => name.trim() && name !== station.name && !rename.isPending && rename.mutate(undefined);
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        save();
      }}
    >
      <TextInput
        label="Name"
        value={name}
        maxLength={80}
        error={rename.error?.message}
        onChange={(event) => setName(event.currentTarget.value)}
        onBlur={save}
      />
    </form>
  );
}

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
