import { Button, TextInput } from '@mantine/core';

import { api, body, errorAt, type Schemas } from '../api/client';
import { type Swatch, useChange, useOwnFindings, useProject } from '../api/hooks';
import { displayName, figures } from '../shared/colour';
import { Facts } from '../shared/Facts';
import { FindingCard } from '../shared/FindingCard';
import { LevelMark } from '../shared/marks';
import { NumberField } from '../shared/NumberField';
import { Segments } from '../shared/Segments';
import { TypedColourFields } from '../shared/TypedColourFields';
import { useForget, useRemembered } from '../shared/remembered';
import { ViewPair } from '../shared/ViewSelects';
import { type Appears, Appearance } from './Appearance';
import { ColourFacts } from './ColourFacts';
import { isCode, Meanings } from './Meanings';
import { Picking } from './Picking';

/** An xyY colour that was taken from somewhere, for a new swatch. */
export interface Offered {
  text: string;
  use: Swatch['use'];
}

const MARKED = ['name'];

type Draft = Pick<Swatch, 'name' | 'use'> & {
  typed: Pick<Swatch, 'space' | 'unit' | 'text'>;
  appears: Appears | null;
};

const OWN = 'its own colour';
const AS_IT_APPEARS = 'as it appears';

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
  const forget = useForget();
  const draft = `typed for colour ${swatch?.name ?? 'new'} ${offered?.text ?? ''}`;
  const saved: Draft = {
    name: swatch?.name ?? '',
    use: swatch?.use ?? offered?.use ?? 'surface',
    typed: {
      space: swatch?.space || project.data?.setup.default_space || '',
      unit: swatch?.unit ?? (offered ? 'xyY' : '8-bit'),
      text: swatch?.text ?? offered?.text ?? '',
    },
    appears: swatch?.appears ?? null,
  };
  const [unsaved, setUnsaved] = useRemembered<Draft | null>(draft, null);
  const { name, use, typed, appears } = unsaved ?? saved;
  const view = project.data?.setup.view;
  const set = (part: Partial<Draft>) => setUnsaved({ ...(unsaved ?? saved), ...part });
  const save = useChange(async (slug) => {
    await body(
      api.PUT('/api/v1/projects/{slug}/swatches', {
        params: { path: { slug } },
        body: { ...typed, name, use, appears, was: swatch?.name ?? '', based_on },
      }),
    );
    forget(draft);
  });
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
          error={errorAt(save.error, 'name', MARKED)}
          onChange={(event) => set({ name: event.currentTarget.value })}
        />
        <Segments
          aria-label="What the numbers are"
          value={appears ? AS_IT_APPEARS : OWN}
          onChange={(value) =>
            set({
              appears: value === OWN || !view ? null : { display: view.display, view: view.view, look: view.look ?? '', stops: 0 },
              typed: { ...typed, unit: value === OWN || isCode(typed.unit) ? typed.unit : 'hex' },
            })
          }
          data={[OWN, AS_IT_APPEARS]}
        />
        <TypedColourFields
          typed={typed}
          onChange={(changed) => set({ typed: changed })}
          error={errorAt(save.error, '', MARKED)}
          autoFocus={isAdding}
          codesOnly={appears !== null}
        />
        {appears && (
          <>
            <ViewPair label="of the colour" choice={appears} onChange={(choice) => set({ appears: { ...appears, ...choice } })} />
            <NumberField
              label="Lit by, in stops"
              description="Neutral light; at 0 a perfect white is 1"
              min={-20}
              max={20}
              step={0.5}
              value={appears.stops}
              onChange={(value) => set({ appears: { ...appears, stops: Number(value) || 0 } })}
            />
          </>
        )}
        <Segments
          aria-label="What it is for"
          value={use}
          onChange={(value) => set({ use: value as Swatch['use'] })}
          data={['surface', 'metal', 'light']}
        />
        <div className="row">
          <Button type="submit" variant="filled" loading={save.isPending}>
            {swatch ? 'Save' : 'Add colour'}
          </Button>
          {unsaved && <Button onClick={() => forget(draft)}>Discard what is typed</Button>}
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
      {appears && (
        <Appearance unit={typed.unit} text={typed.text} use={use} appears={appears} onChange={(change) => set(change)} />
      )}
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
          {!swatch.appears && <Meanings unit={swatch.unit} text={swatch.text} />}
          <p className="quiet small">
            {swatch.appears
              ? 'Give a renderer the numbers of the working space, never the code values.'
              : 'Give a renderer the numbers of the working space, or the typed ones with their space: never the typed ones alone.'}
          </p>
        </div>
      )}
      <Picking onPick={(picked) => set({ typed: { ...typed, ...picked }, appears: null })} />
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
            what appears is outside the gamut of {displayName(display)}: <span className="mono">{figures(light)}</span>
          </span>
        </p>
      ))}
      {held.length > 0 && (
        <p className="small quiet">
          {outside.length === 0
            ? `What appears is in the gamut of all ${held.length} displays.`
            : `What appears is in the gamut of ${names(held)}.`}
        </p>
      )}
    </>
  );
}
