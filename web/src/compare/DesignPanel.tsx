import { Button, Select, Slider, TextInput } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { type AddedView, useChangeSetup, useProject, useSlug, type ViewChoice } from '../api/hooks';
import { displayName } from '../shared/colour';
import { FindingCard } from '../shared/FindingCard';
import { NumberField } from '../shared/NumberField';
import classes from './Compare.module.css';
import type { Shown } from './shown';
import type { Design, Designing } from './useDesign';

type Parameter = Schemas['Parameter'];

const CHANNELS = ['red', 'green', 'blue'];

/** The parameters of the view that is being designed, what the checks say of it, and its way into the config. */
export function DesignPanel({
  designing,
  shown,
  onSaved,
}: {
  designing: Designing;
  /** A picture as the design shows it. */
  shown: Shown;
  onSaved: (choice: ViewChoice) => void;
}) {
  const project = useProject();
  const { family, design, designed } = designing;
  const own = ((project.data?.setup.added_views ?? []) as AddedView[]).filter((view) => view.design);
  if (!family || !design) return null;
  const starts = designed.flatMap(({ key, label, design: plain, presets }) => [
    { value: `${key} `, label: `${label} as it is`, of: key, design: plain },
    ...presets.map((preset) => ({
      value: `${key} ${preset.name}`,
      label: `${label}: ${preset.name}`,
      of: key,
      design: preset.design,
    })),
  ]);
  const kept = own.map((view) => ({
    value: `own ${view.display} ${view.name}`,
    label: `${view.name} on ${displayName(view.display)}`,
    of: view.family,
    design: view.design as Design,
  }));
  const preset = family.presets.find((candidate) => JSON.stringify(candidate.design) === JSON.stringify(design));
  return (
    <>
      <div className="block">
        <div className="row spread">
          <h2>Design a view</h2>
          <Button size="compact-xs" disabled={!designing.canUndo} onClick={designing.undo}>
            Step back
          </Button>
        </div>
        <Select
          label="Start from"
          placeholder="A family or a design"
          data={[
            { group: 'Families and designs', items: starts.map(({ value, label }) => ({ value, label })) },
            ...(kept.length > 0
              ? [{ group: 'Of this project', items: kept.map(({ value, label }) => ({ value, label })) }]
              : []),
          ]}
          value={null}
          onChange={(value) => {
            const start = [...starts, ...kept].find((candidate) => candidate.value === value);
            if (start) designing.take(start.design, start.of);
          }}
        />
        <p className="quiet small">
          {family.label}
          {preset && `: ${preset.name}. ${preset.use}`}
        </p>
      </div>
      <div className="block">
        {family.parameters.map((parameter) =>
          parameter.by_primary ? (
            <ByPrimary key={parameter.key} {...{ parameter, design }} onChange={(next) => designing.take(next)} />
          ) : (
            <OneNumber
              key={parameter.key}
              {...{ parameter, design }}
              onMove={designing.move}
              onChange={(next) => designing.take(next)}
            />
          ),
        )}
      </div>
      <Findings shown={shown} />
      <SaveView designing={designing} onSaved={onSaved} />
    </>
  );
}

function OneNumber({
  parameter,
  design,
  onMove,
  onChange,
}: {
  parameter: Parameter;
  design: Design;
  onMove: (design: Design) => void;
  onChange: (design: Design) => void;
}) {
  const { key, label, lowest, highest, step, unit } = parameter;
  const value = design[key as keyof Design] as number;
  const digits = step < 0.01 ? 3 : 2;
  return (
    <div className={classes.parameter}>
      <span className="small" title={unit}>
        {label}
      </span>
      <Slider
        aria-label={label}
        thumbLabel={label}
        min={lowest}
        max={highest}
        step={step}
        value={value}
        label={null}
        onChange={(next) => onMove({ ...design, [key]: next })}
        onChangeEnd={(next) => onChange({ ...design, [key]: next })}
      />
      <NumberField
        aria-label={`${label}, ${unit || 'number'}`}
        value={Number(value.toFixed(4))}
        min={lowest}
        max={highest}
        step={step}
        decimalScale={Math.max(digits, 4)}
        hideControls
        onChange={(next) => typeof next === 'number' && next >= lowest && next <= highest && onChange({ ...design, [key]: next })}
      />
    </div>
  );
}

function ByPrimary({
  parameter,
  design,
  onChange,
}: {
  parameter: Parameter;
  design: Design;
  onChange: (design: Design) => void;
}) {
  const { key, label, lowest, highest, step, unit } = parameter;
  const values = design[key as keyof Design] as number[];
  return (
    <div>
      <span className="small">
        {label} <span className="quiet">{unit}</span>
      </span>
      <div className={classes.threes}>
        {CHANNELS.map((channel, at) => (
          <NumberField
            key={channel}
            aria-label={`${label}, ${channel}`}
            value={Number((values[at] ?? 0).toFixed(4))}
            min={lowest}
            max={highest}
            step={step * 10}
            decimalScale={4}
            onChange={(next) =>
              typeof next === 'number' &&
              next >= lowest &&
              next <= highest &&
              onChange({ ...design, [key]: values.map((kept, place) => (place === at ? next : kept)) })
            }
          />
        ))}
      </div>
    </div>
  );
}

/** What must hold of every view, checked while it is designed. */
function Findings({ shown }: { shown: Shown }) {
  const slug = useSlug();
  const [draft] = useDebouncedValue(shown.draft, 150);
  const found = useQuery({
    queryKey: ['design-findings', slug, draft],
    queryFn: () =>
      body(
        api.GET('/api/v1/projects/{slug}/design/findings', {
          params: { path: { slug }, query: { ...shown.choice, draft } },
        }),
      ),
    placeholderData: keepPreviousData,
    gcTime: 10_000,
    retry: false,
  });
  if (found.error) return <p role="alert">{found.error.message}</p>;
  if (!found.data) return null;
  return (
    <div className="block" role="region" aria-label="Checks of the design">
      {found.data.map((finding) => (
        <FindingCard key={finding.code} finding={finding} isDraft />
      ))}
      {found.data.length === 0 && (
        <p className="small quiet">It rises throughout, keeps greys neutral and hues in order.</p>
      )}
    </div>
  );
}

function SaveView({ designing, onSaved }: { designing: Designing; onSaved: (choice: ViewChoice) => void }) {
  const project = useProject();
  const change = useChangeSetup();
  const [name, setName] = useState('');
  const { family, design, display } = designing;
  const views = (project.data?.setup.added_views ?? []) as AddedView[];
  const called = name.trim();
  const isThere = views.some((view) => view.display === display && view.name === called && view.design);
  const save = () => {
    if (!family || !design) return;
    const view: AddedView = { display, name: called, family: family.key as AddedView['family'], rendering: '', design };
    const others = views.filter((kept) => kept.display !== display || kept.name !== called || !kept.design);
    const message = `View ${called} ${isThere ? 'designed anew' : 'designed'} for ${displayName(display)}`;
    // Also when the panel was left meanwhile, which a callback of the mutation would not survive.
    change.mutateAsync({ added_views: [...others, view], message }).then(
      () => onSaved({ display, view: called, look: '' }),
      () => undefined, // told like every refusal
    );
  };
  return (
    <form
      className="block"
      onSubmit={(event) => {
        event.preventDefault();
        save();
      }}
    >
      <div className="row" style={{ alignItems: 'flex-end' }}>
        <TextInput
          label={`As a view of ${displayName(display)}`}
          placeholder="its name"
          value={name}
          maxLength={100}
          onChange={(event) => setName(event.currentTarget.value)}
          style={{ flex: 1 }}
        />
        <Button type="submit" variant="filled" disabled={called === ''} loading={change.isPending}>
          {isThere ? 'Replace' : 'Save'}
        </Button>
      </div>
      <p className="quiet small">It is written into the config as you see it, and every application has it.</p>
    </form>
  );
}
