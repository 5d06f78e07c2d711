import { Button, TextInput } from '@mantine/core';
import { useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { type Swatch, useChange, useOwnFindings, useProject } from '../api/hooks';
import { displayName, figures } from '../shared/colour';
import { Facts } from '../shared/Facts';
import { FindingCard } from '../shared/FindingCard';
import { LevelMark } from '../shared/marks';
import { Segments } from '../shared/Segments';
import { TypedColourFields } from '../shared/TypedColourFields';
import { ColourFacts } from './ColourFacts';
import { Meanings } from './Meanings';
import { Picking } from './Picking';

/** An xyY colour that was taken from somewhere, for a new swatch. */
export interface Offered {
  text: string;
  use: Swatch['use'];
}

/** Type a colour, new or anew, and read what it becomes. */
export function SwatchEditor({
  swatch,
  offered,
  isAdding,
  onSaved,
  onRemoved,
}: {
  swatch: Swatch | undefined;
  offered: Offered | undefined;
  /** Somebody asked for a new colour, and is about to type. */
  isAdding: boolean;
  onSaved: (name: string) => void;
  onRemoved: () => void;
}) {
  const project = useProject();
  const findings = useOwnFindings();
  const based_on = project.data?.revision.number ?? 0;
  const [name, setName] = useState(swatch?.name ?? '');
  const [use, setUse] = useState<Swatch['use']>(swatch?.use ?? offered?.use ?? 'surface');
  const [typed, setTyped] = useState({
    space: swatch?.space || project.data?.setup.default_space || '',
    unit: swatch?.unit ?? (offered ? ('xyY' as const) : ('8-bit' as const)),
    text: swatch?.text ?? offered?.text ?? '',
  });
  const save = useChange((slug) =>
    body(
      api.PUT('/api/v1/projects/{slug}/swatches', {
        params: { path: { slug } },
        body: { ...typed, name, use, was: swatch?.name ?? '', based_on },
      }),
    ),
  );
  const remove = useChange((slug, removed: string) =>
    body(api.POST('/api/v1/projects/{slug}/swatches/remove', { params: { path: { slug } }, body: { names: [removed], based_on } })),
  );
  const own = findings.data?.filter(({ code, subject }) => code.startsWith('swatch.') && subject === swatch?.name) ?? [];

  return (
    <>
      <h2>{swatch ? swatch.name : 'New colour'}</h2>
      {own.map((finding) => (
        <FindingCard key={finding.code} finding={finding} />
      ))}
      <form
        className="block"
        onSubmit={(event) => {
          event.preventDefault();
          save.mutate(undefined, { onSuccess: () => onSaved(name.trim()) });
        }}
      >
        <TextInput
          label="Name"
          value={name}
          maxLength={80}
          placeholder="enamel, skin, logo …"
          onChange={(event) => setName(event.currentTarget.value)}
        />
        <TypedColourFields typed={typed} onChange={setTyped} error={save.error?.message} autoFocus={isAdding} />
        <Segments
          aria-label="What it is for"
          value={use}
          onChange={(value) => setUse(value as Swatch['use'])}
          data={['surface', 'metal', 'light']}
        />
        <div className="row">
          <Button type="submit" variant="filled" loading={save.isPending}>
            {swatch ? 'Save' : 'Add colour'}
          </Button>
          {swatch && (
            <Button
              variant="subtle"
              loading={remove.isPending}
              onClick={() => remove.mutate(swatch.name, { onSuccess: onRemoved })}
            >
              Delete
            </Button>
          )}
        </div>
      </form>
      {swatch && (
        <div className="block">
          <h3>What it becomes</h3>
          <Facts
            facts={[
              { name: `in ${project.data?.setup.working_space}`, value: figures(swatch.working) },
              { name: 'through the view', value: figures(swatch.shown) },
              { name: 'as 8-bit', value: figures(swatch.shown, '8-bit') },
            ]}
          />
          {swatch.facts && <ColourFacts facts={swatch.facts} />}
          {swatch.facts && <InDisplays displays={swatch.facts.displays} />}
          <Meanings unit={swatch.unit} text={swatch.text} />
          <p className="quiet small">
            Give a renderer the numbers of the working space, or the typed ones with their space: never the typed ones
            alone.
          </p>
        </div>
      )}
      <Picking onPick={(picked) => setTyped({ ...typed, ...picked })} />
    </>
  );
}

/** Which displays can show a colour, however bright it is. */
function InDisplays({ displays }: { displays: Schemas['DisplayGamut'][] }) {
  const held = displays.filter(({ holds }) => holds);
  const outside = displays.filter(({ holds }) => !holds);
  const names = (listed: typeof displays) => listed.map(({ display }) => displayName(display)).join(', ');
  return (
    <>
      {outside.map(({ display, light }) => (
        <p key={display} className="row small">
          <LevelMark level="caution" />
          <span>
            outside the gamut of {displayName(display)}: <span className="mono">{figures(light)}</span>
          </span>
        </p>
      ))}
      {held.length > 0 && (
        <p className="small quiet">
          {outside.length === 0 ? `In the gamut of all ${held.length} displays.` : `In the gamut of ${names(held)}.`}
        </p>
      )}
    </>
  );
}
