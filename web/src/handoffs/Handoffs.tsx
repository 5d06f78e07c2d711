import { Button, Checkbox, CopyButton, Select } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { Fragment, useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { type SetupParts, type Station, useChange, useOwnFindings, useProject, useSlug, useStations } from '../api/hooks';
import { FindingCard } from '../shared/FindingCard';
import { LevelMark } from '../shared/marks';
import { Replacements } from '../shared/Replacements';
import { Empty, Loaded } from '../shared/states';

const OCIO_VERSIONS = ['2.0', '2.1', '2.2', '2.3', '2.4', '2.5', '2.6'];
const READS: Record<string, string> = { textures: 'reads textures, writes renders', renders: 'reads renders' };

/** The chain of applications, and what must be set in each. */
export function Handoffs() {
  const stations = useStations();
  const findings = useOwnFindings();
  const [chosen, setChosen] = useState<number>();
  return (
    <Loaded of={stations}>
      {(listed) => {
        const station = listed.find(({ id }) => id === chosen) ?? listed[0];
        const failing = new Set(
          findings.data
            ?.filter(({ code, level }) => code.startsWith('handoff.') && level === 'blocker')
            .map(({ subject }) => subject),
        );
        if (!station) return <Empty>This project has no stations.</Empty>;
        return (
          <div className="columns">
            <section className="column" aria-label="Stations">
              <h2>
                Stations <span className="quiet small">in the order of work</span>
              </h2>
              {listed.map((item, index) => (
                <div key={item.id} className="block">
                  {index > 0 && (
                    <p className="quiet small" style={{ paddingLeft: 14 }}>
                      ↓ scene-linear EXR, half float, no view
                    </p>
                  )}
                  <button
                    className="bare card"
                    aria-current={item.id === station.id}
                    onClick={() => setChosen(item.id)}
                  >
                    <strong className="row">
                      {failing.has(item.name) && <LevelMark level="blocker" />} {item.name}
                    </strong>
                    <span className="quiet small">{READS[item.reads] ?? item.reads}</span>
                  </button>
                </div>
              ))}
              <StationForm key={station.id} station={station} />
            </section>
            <Sheet key={`sheet-${station.id}`} station={station} />
          </div>
        );
      }}
    </Loaded>
  );
}

/** What a station can do decides what its sheet says. */
function StationForm({ station }: { station: Station }) {
  const change = useChange((slug, fields: { ocio_version?: string; follows_file_rules?: boolean }) =>
    body(
      api.PUT('/api/projects/{slug}/stations/{id}', {
        params: { path: { slug, id: station.id } },
        body: {
          ocio_version: station.ocio_version,
          follows_file_rules: station.follows_file_rules,
          ...fields,
          based_on: station.version,
        },
      }),
    ),
  );
  return (
    <div className="block" style={{ marginTop: 8 }}>
      <h3>What the {station.name.toLowerCase()} can do</h3>
      <Select
        label="Loads OCIO configs up to"
        data={OCIO_VERSIONS}
        value={station.ocio_version}
        disabled={change.isPending}
        onChange={(version) => version && change.mutate({ ocio_version: version })}
      />
      {station.reads === 'textures' && (
        <Checkbox
          size="xs"
          label="Takes texture spaces from the config’s file rules"
          color="neutral"
          checked={station.follows_file_rules}
          disabled={change.isPending}
          onChange={(event) => change.mutate({ follows_file_rules: event.currentTarget.checked })}
        />
      )}
    </div>
  );
}

function Sheet({ station }: { station: Station }) {
  const slug = useSlug();
  const project = useProject();
  const findings = useOwnFindings();
  const sheet = useQuery({
    queryKey: [slug, 'sheet', station.id],
    queryFn: () =>
      body(api.GET('/api/projects/{slug}/stations/{id}/sheet', { params: { path: { slug, id: station.id } } })),
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
      <section className="column" aria-label="Take the sheet along">
        <h2>Take it along</h2>
        <div className="row">
          <Button component="a" variant="filled" href={`/api/projects/${slug}/stations/${station.id}/sheet.txt`} download>
            Save as text
          </Button>
        </div>
        <StationConfig station={station} />
        <p className="quiet">
          Every line follows from the project. Change the project and the sheet changes with it; the revision number
          says which state a sheet belongs to.
        </p>
      </section>
    </>
  );
}

/** The config as this station gets it: what its OCIO version cannot hold is told before the file is saved. */
function StationConfig({ station }: { station: Station }) {
  const slug = useSlug();
  const project = useProject();
  const config = useQuery({
    queryKey: [slug, 'station-config', station.id, station.ocio_version, project.data?.revision.number],
    queryFn: () =>
      body(api.GET('/api/projects/{slug}/stations/{id}/config', { params: { path: { slug, id: station.id } } })),
  });
  return (
    <div className="block" role="group" aria-label={`Config for the ${station.name.toLowerCase()}`}>
      <h3>Config</h3>
      {config.isPending && (
        <p role="status" className="quiet">
          Writing the config for OCIO {station.ocio_version}. Where views are baked, this takes some seconds.
        </p>
      )}
      {config.error && <p role="alert">{config.error.message}</p>}
      {config.data && (
        <>
          <p>
            {config.data.own
              ? `Written for OCIO ${config.data.version}, for this station alone.`
              : `The project’s own, OCIO ${config.data.version}.`}
          </p>
          {config.data.own && (
            <Replacements
              replacements={config.data.replacements}
              version={config.data.version as Exclude<NonNullable<SetupParts['target_version']>, ''>}
            />
          )}
          <div className="row">
            <Button component="a" href={`/api/projects/${slug}/stations/${station.id}/config/file`} download>
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

function SheetTable({ sections }: { sections: Schemas['Section'][] }) {
  return (
    <>
      {sections.map((section) => (
        <div key={section.title} className="block">
          <h3>{section.title}</h3>
          <table className="list">
            <tbody>
              {section.lines.map((line) => (
                <tr key={line.setting}>
                  <td style={{ width: '42%' }}>
                    <Breakable text={line.setting} />
                  </td>
                  <td style={{ overflowWrap: 'anywhere' }}>
                    <span className="mono">{line.value}</span>
                    {line.why && <div className="quiet small">{line.why}</div>}
                  </td>
                  <td style={{ width: 60, textAlign: 'right' }}>
                    <CopyButton value={line.value}>
                      {({ copied, copy }) => (
                        <Button
                          size="compact-xs"
                          variant="subtle"
                          onClick={copy}
                          aria-label={`Copy the value of ${line.setting}`}
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
