import { Button, Checkbox, Select, TextInput } from '@mantine/core';
import { useState } from 'react';

import { api, body } from '../api/client';
import { useChange, useConfig } from '../api/hooks';
import { displayName } from '../shared/colour';
import { Fold } from '../shared/Fold';
import { SpaceSelect } from '../shared/SpaceSelect';
import classes from './Migrate.module.css';
import type { MigrationStep, OldScene, PlannedStep } from './useOldScenes';

const ALWAYS = ['declare-textures', 'convert-colours'];
const LABELS: Record<string, string> = {
  to: 'Into',
  outside: 'Colours outside it',
  format: 'Format',
  pattern: 'Pattern of names',
  every: 'Also exponents that no display has',
  curve: 'Its curve, if you know it',
  which: 'Which',
  through: 'View in the frames',
};
type Chosen = Record<string, Record<string, unknown> | undefined>;

/** The steps of a plan, chosen by what was found, with a preview and the migration itself. */
export function PlanForm({
  scene,
  steps,
  working,
  busy,
}: {
  scene: OldScene;
  steps: MigrationStep[];
  working: string;
  busy: boolean;
}) {
  const [chosen, setChosen] = useState<Chosen>(() => firstPlan(scene, steps, working));
  const [output, setOutput] = useState('');
  const path = (slug: string) => ({ params: { path: { slug, id: scene.id } } });
  const plan = planned(steps, chosen);
  const preview = useChange((slug) =>
    body(api.POST('/api/v1/projects/{slug}/old-scenes/{id}/preview', { ...path(slug), body: { steps: plan } })),
  );
  const migrate = useChange((slug, inPlace: boolean) =>
    body(
      api.POST('/api/v1/projects/{slug}/old-scenes/{id}/migrate', {
        ...path(slug),
        body: { steps: plan, output: inPlace ? '' : output, in_place: inPlace },
      }),
    ),
  );
  const set = (key: string, name: string, value: unknown) =>
    setChosen((before) => ({ ...before, [key]: { ...before[key], [name]: value } }));
  const error = preview.error ?? migrate.error;
  const isMigrated = scene.report !== null && scene.undone === null;
  return (
    <Fold title="Plan" guide="guide/migrate#the-plan-and-the-preview">
      {steps.map((step) => (
        <div key={step.key} className="card block">
          <Checkbox
            size="xs"
            label={step.label}
            description={step.does}
            checked={chosen[step.key] !== undefined}
            onChange={(event) => {
              const first = event.currentTarget.checked ? firstSettings(step, working) : undefined;
              setChosen((before) => ({ ...before, [step.key]: first }));
            }}
          />
          {chosen[step.key] && (
            <div className={classes.settings}>
              {step.settings.map((setting) => (
                <SettingField
                  key={setting.name}
                  setting={setting}
                  value={chosen[step.key]?.[setting.name]}
                  onChange={(value) => set(step.key, setting.name, value)}
                />
              ))}
            </div>
          )}
        </div>
      ))}
      {error && <p role="alert">{error.message}</p>}
      <div className="row">
        <Button variant="filled" disabled={busy || plan.length === 0} loading={preview.isPending} onClick={() => preview.mutate(undefined)}>
          Preview
        </Button>
      </div>
      {scene.preview && !isMigrated && (
        <div className="card block">
          {!scene.is_here && (
            <TextInput
              label="New folder for the outcome"
              description="On the machine that runs Saltwort. Empty to keep it here, to be saved as a zip."
              placeholder="/shows/lantern_quay/migrated"
              value={output}
              onChange={(event) => setOutput(event.currentTarget.value)}
            />
          )}
          <div className="row wrap">
            <Button disabled={busy} loading={migrate.isPending} onClick={() => migrate.mutate(false)}>
              Migrate a copy
            </Button>
            {!scene.is_here && (
              <Button
                variant="subtle"
                disabled={busy}
                title="The scene's folder changes in one step; as it was it is kept beside"
                onClick={() => migrate.mutate(true)}
              >
                Migrate in place
              </Button>
            )}
          </div>
        </div>
      )}
    </Fold>
  );
}

function SettingField({
  setting,
  value,
  onChange,
}: {
  setting: MigrationStep['settings'][number];
  value: unknown;
  onChange: (value: unknown) => void;
}) {
  const label = LABELS[setting.name];
  if (!label) return null;
  if (setting.name === 'to') {
    return <SpaceSelect label={label} value={String(value ?? '')} onChange={(space) => space && onChange(space)} />;
  }
  if (setting.name === 'through') return <ThroughSelect label={label} value={String(value ?? '')} onChange={onChange} />;
  if (typeof setting.value === 'boolean') {
    return <Checkbox size="xs" label={label} checked={value === true} onChange={(event) => onChange(event.currentTarget.checked)} />;
  }
  if (setting.choices.length > 0) {
    return <Select label={label} data={setting.choices} value={String(value)} onChange={(one) => one && onChange(one)} />;
  }
  return <TextInput label={label} value={String(value ?? '')} onChange={(event) => onChange(event.currentTarget.value)} />;
}

/** A view of the project's config; none for the one that comes nearest to what the scene itself did. */
function ThroughSelect({ label, value, onChange }: { label: string; value: string; onChange: (value: string) => void }) {
  const views = useConfig().data?.views ?? [];
  const data = views.map(({ display, view }) => ({ value: `${display}/${view}`, label: `${view} on ${displayName(display)}` }));
  return (
    <Select
      label={label}
      data={data}
      value={value || null}
      placeholder="The nearest to the scene's own"
      searchable
      clearable
      onChange={(one) => onChange(one ?? '')}
    />
  );
}

const firstSettings = (step: MigrationStep, working: string) =>
  Object.fromEntries(
    step.settings.filter(({ name }) => name in LABELS).map(({ name, value }) => [name, name === 'to' ? working : value]),
  );

/** The plan as it was, or what the habits ask for; hints are left to whoever knows. */
function firstPlan(scene: OldScene, steps: MigrationStep[], working: string): Chosen {
  if (scene.plan.length > 0) {
    return Object.fromEntries((scene.plan as PlannedStep[]).map(({ step, ...settings }) => [step, settings]));
  }
  const asked = new Set([...ALWAYS, ...(scene.found?.habits.filter(({ is_hint }) => !is_hint).map(({ step }) => step) ?? [])]);
  return Object.fromEntries(steps.filter(({ key }) => asked.has(key)).map((step) => [step.key, firstSettings(step, working)]));
}

const planned = (steps: MigrationStep[], chosen: Chosen): PlannedStep[] =>
  steps.filter(({ key }) => chosen[key]).map(({ key }) => ({ step: key, ...chosen[key] }));
