import { Button, CopyButton } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { Fragment, useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { type SetupParts, type Station, useOwnFindings, useProject, useSlug } from '../api/hooks';
import { FindingCard } from '../shared/FindingCard';
import { FoldingColumn } from '../shared/Fold';
import { Replacements } from '../shared/Replacements';
import { Loaded } from '../shared/states';

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

/** The settings of an application, and the files in which they and its config are saved. */
export function Sheet({ station }: { station: Station }) {
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
