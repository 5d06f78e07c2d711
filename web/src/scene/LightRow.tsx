import { Button, Popover, Select, Slider } from '@mantine/core';
import { useDisclosure } from '@mantine/hooks';
import { useState } from 'react';

import { errorAt } from '../api/client';
import { type Light, useOwnFindings, useProject, useSwatches } from '../api/hooks';
import { css, figures, stops as stopsText, unitWord } from '../shared/colour';
import { LevelMark } from '../shared/marks';
import { TypedColourFields } from '../shared/TypedColourFields';
import { NumberField } from '../shared/NumberField';
import { ColourFacts } from './ColourFacts';
import classes from './Scene.module.css';
import type { LightMix } from './useLightMix';
import { useSaveLights } from './useSaveLights';

const SHOWN_STOPS = 8;
const OWN = '';
const MARKED = ['intensity'];

/** One light of the rig: alone, silent, in stops, and its colour. */
export function LightRow({ light, mix }: { light: Light; mix: LightMix }) {
  const findings = useOwnFindings();
  const stops = mix.stops[light.name] ?? light.stops;
  const own = findings.data?.filter(({ code, subject }) => code.startsWith('light.') && subject === light.name) ?? [];
  return (
    <div className={classes.light} role="group" aria-label={`Light ${light.name}`}>
      <LightColour key={JSON.stringify([light.colour, light.swatch, light.intensity])} light={light} />
      <strong className="row">
        {light.name}
        {own.map((finding) => (
          <span key={finding.code} title={finding.why}>
            <LevelMark level={finding.level} />
            <span className="visually-hidden">{finding.title}</span>
          </span>
        ))}
      </strong>
      <span className="row">
        <Toggle name="Solo" on={mix.solo === light.name} onToggle={() => mix.toggleSolo(light.name)} />
        <Toggle name="Mute" on={mix.muted.includes(light.name)} onToggle={() => mix.toggleMuted(light.name)} />
      </span>
      <Slider
        aria-label={`Stops of ${light.name}`}
        thumbLabel={`Stops of ${light.name}`}
        min={-SHOWN_STOPS}
        max={SHOWN_STOPS}
        step={0.25}
        value={stops}
        label={null}
        marks={[{ value: 0 }]}
        onChange={(value) => mix.setStops(light.name, value)}
      />
      <span className="mono small" style={{ textAlign: 'right' }}>
        {stopsText(stops, 2)} stops
      </span>
    </div>
  );
}

function Toggle({ name, on, onToggle }: { name: string; on: boolean; onToggle: () => void }) {
  return (
    <Button size="compact-xs" variant={on ? 'filled' : 'default'} aria-pressed={on} onClick={onToggle}>
      {name}
    </Button>
  );
}

/** The colour of a light, as a disc that opens into its fields. */
function LightColour({ light }: { light: Light }) {
  const swatches = useSwatches();
  const project = useProject();
  const save = useSaveLights();
  const [opened, { toggle, close }] = useDisclosure(false);
  const [swatch, setSwatch] = useState(light.swatch);
  const [intensity, setIntensity] = useState<number | string>(light.intensity);
  const [typed, setTyped] = useState({
    ...light.colour,
    space: light.colour.space || (project.data?.setup.default_space ?? ''),
  });
  const from = light.swatch ? `swatch ${light.swatch}` : `${light.colour.text} ${unitWord(light.colour.unit)}`;
  return (
    <Popover opened={opened} onChange={(open) => !open && close()} width={300} position="top-start" trapFocus returnFocus>
      <Popover.Target>
        <button
          className="bare disc"
          style={{ background: css(light.shown), height: 26, width: 26 }}
          aria-label={`Colour of ${light.name}: ${from}`}
          title={`${from}: ${figures(light.working)} in the working space`}
          onClick={toggle}
        />
      </Popover.Target>
      <Popover.Dropdown>
        <form
          className="block"
          onSubmit={(event) => {
            event.preventDefault();
            if (intensity === '') return;
            const changed = { swatch, colour: typed, intensity: Number(intensity) };
            save.mutate({ [light.name]: changed }, { onSuccess: close });
          }}
        >
          <Select
            label="Colour from"
            comboboxProps={{ withinPortal: false }}
            data={[
              { value: OWN, label: 'typed here' },
              ...(swatches.data ?? []).map(({ name }) => ({ value: name, label: `swatch ${name}` })),
            ]}
            value={swatch}
            allowDeselect={false}
            onChange={(value) => setSwatch(value ?? OWN)}
          />
          {swatch === OWN && <TypedColourFields typed={typed} onChange={setTyped} error={errorAt(save.error, '', MARKED)} />}
          <NumberField
            label="Intensity"
            value={intensity}
            onChange={setIntensity}
            decimalScale={4}
            error={intensity === '' ? 'Type a number, 0 or more.' : errorAt(save.error, 'intensity', MARKED)}
          />
          {save.error && swatch !== OWN && <p role="alert">{errorAt(save.error, '', MARKED)}</p>}
          <p className="mono small">{figures(light.working)}</p>
          {light.facts && <ColourFacts facts={light.facts} />}
          <Button type="submit" variant="filled" loading={save.isPending}>
            Save
          </Button>
        </form>
      </Popover.Dropdown>
    </Popover>
  );
}
