import { Button, Checkbox, CopyButton, Select, TextInput } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { Fragment, useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { type SetupParts, type Station, useChange, useOwnFindings, useProject, useSlug, useAbilities, useStationKinds, useStations } from '../api/hooks';
import { FindingCard } from '../shared/FindingCard';
import { FoldingColumn } from '../shared/Fold';
import { LevelMark } from '../shared/marks';
import { Replacements } from '../shared/Replacements';
import { Sortable, SortableItem } from '../shared/Sortable';
import { Empty, Loaded } from '../shared/states';
import { useRemoval } from '../shared/useUndo';
import { useRemembered } from '../shared/remembered';

type Kind = NonNullable<Schemas['NewStation']['kind']>;

/** Values of the ability colour_by with which an application loads a config. */
const CONFIG_READERS = ['config', 'transform'];

/** Where a setting is set, as people say it. */
const LEVELS: Record<Schemas['SettingLevel'], string> = {
  environment: 'environment',
  preference: 'preferences',
  project: 'project',
  file: 'each file',
  node: 'each node or layer',
  output: 'when writing',
};

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

function Sheet({ station }: { station: Station }) {
  const slug = useSlug();
  const project = useProject();
  const findings = useOwnFindings();
  const sheet = useQuery({
    queryKey: [slug, 'sheet', station.id],
    queryFn: () =>
      body(api.GET('/api/v1/projects/{slug}/stations/{id}/sheet', { params: { path: { slug, id: station.id } } })),
  });
  const own =
    findings.data?.filter(({ code, subject }) => code.startsWith('handoff.') && subject === station.name) ?? [];
  return (
    <>
      <section className="column" aria-label={`Settings of the ${station.name.toLowerCase()}`}>
        <h2>
          Settings of the {station.name.toLowerCase()}{' '}
          <span className="quiet small">from revision {project.data?.revision.number}</span>
        </h2>
        {own.map((finding) => (
          <FindingCard key={finding.code} finding={finding} />
        ))}
        <Loaded of={sheet}>{(sections) => <SheetTable sections={sections} />}</Loaded>
      </section>
      <FoldingColumn label="Export sheet">
        <h2>Export sheet</h2>
        <div className="row wrap">
          <Button component="a" variant="filled" href={`/api/v1/projects/${slug}/stations/${station.id}/sheet.html`} download>
            Save to print
          </Button>
          {SHEETS.map(([ending, label]) => (
            <Button
              key={ending}
              component="a"
              size="compact-sm"
              variant="subtle"
              href={`/api/v1/projects/${slug}/stations/${station.id}/sheet.${ending}`}
              aria-label={`Save as ${label}`}
              download
            >
              {label}
            </Button>
          ))}
        </div>
        {CONFIG_READERS.includes(String(station.abilities.colour_by)) && <StationConfig station={station} />}
        <p className="quiet">
          Every line follows from the project. Change the project and the sheet changes with it; the revision number
          says which state a sheet belongs to.
        </p>
      </FoldingColumn>
    </>
  );
}

/** The config as this station gets it: what its OCIO version cannot hold is told before the file is saved. */
function StationConfig({ station }: { station: Station }) {
  const slug = useSlug();
  const project = useProject();
  const config = useQuery({
    queryKey: [slug, 'station-config', station.id, station.abilities, project.data?.revision.number],
    queryFn: () =>
      body(api.GET('/api/v1/projects/{slug}/stations/{id}/config', { params: { path: { slug, id: station.id } } })),
  });
  return (
    <div className="block" role="group" aria-label={`Config for the ${station.name.toLowerCase()}`}>
      <h3>Config</h3>
      {config.isPending && (
        <p role="status" className="quiet">
          Writing the config for this application. Where views are baked, this takes some seconds.
        </p>
      )}
      {config.error && <p role="alert">{config.error.message}</p>}
      {config.data && (
        <>
          <p>
            {config.data.own
              ? `Written for OCIO ${config.data.version}, for this application alone.`
              : `The project’s own, OCIO ${config.data.version}.`}
          </p>
          {config.data.own && (
            <Replacements
              replacements={config.data.replacements}
              version={config.data.version as Exclude<NonNullable<SetupParts['target_version']>, ''>}
            />
          )}
          <div className="row">
            <Button component="a" href={`/api/v1/projects/${slug}/stations/${station.id}/config/file`} download>
              Save {config.data.file}
            </Button>
          </div>
        </>
      )}
    </div>
  );
}

/** Text that may break after the separators of a file name. */
function Breakable({ text }: { text: string }) {
  return text.split(/(?<=[/_])/).map((part, index) => (
    <Fragment key={index}>
      {part}
      <wbr />
    </Fragment>
  ));
}

/** In what else a sheet is saved, by the ending of the file. */
const SHEETS = [
  ['txt', 'text'],
  ['md', 'Markdown'],
  ['json', 'JSON'],
] as const;

/** Where a setting is set, and what can override it there. */
function Where({ line }: { line: Schemas['Setting'] }) {
  const overriding = line.overridden_at.map((level) => LEVELS[level]).join(', ');
  return (
    <>
      {LEVELS[line.level]}
      {overriding && <div>overridden by: {overriding}</div>}
    </>
  );
}

/** What goes wrong where it is set otherwise, and how that looks, for who asks. */
function Otherwise({ line }: { line: Schemas['Setting'] }) {
  const [open, setOpen] = useState(false);
  return (
    <div className="quiet small">
      <button type="button" className="bare term" aria-expanded={open} onClick={() => setOpen(!open)}>
        if it is set otherwise
      </button>
      {open && (
        <div>
          {line.otherwise} {line.symptom && `It looks: ${line.symptom.charAt(0).toLowerCase()}${line.symptom.slice(1)}`}
        </div>
      )}
    </div>
  );
}

function SheetTable({ sections }: { sections: Schemas['Section'][] }) {
  return (
    <>
      {sections.map((section) => (
        <div key={section.key} className="block">
          <h3>{section.title}</h3>
          <table className="list">
            <thead>
              <tr>
                <th>Setting</th>
                <th>Value</th>
                <th>Set in</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {section.settings.map((line) => (
                <tr key={line.key}>
                  <td style={{ width: '32%' }}>
                    <Breakable text={line.label} />
                  </td>
                  <td style={{ overflowWrap: 'anywhere' }}>
                    <span className="mono">{line.value}</span>
                    {line.why && <div className="quiet small">{line.why}</div>}
                    {line.otherwise && <Otherwise line={line} />}
                  </td>
                  <td className="quiet small" style={{ width: '20%' }}>
                    <Where line={line} />
                  </td>
                  <td style={{ width: 60, textAlign: 'right' }}>
                    <CopyButton value={line.value}>
                      {({ copied, copy }) => (
                        <Button
                          size="compact-xs"
                          variant="subtle"
                          onClick={copy}
                          aria-label={`Copy the value of ${line.label}`}
                        >
                          {copied ? 'Copied' : 'Copy'}
                        </Button>
                      )}
                    </CopyButton>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      ))}
    </>
  );
}
