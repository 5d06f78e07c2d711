import { Button } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';

import { api, body } from '../api/client';
import { type SetupParts, type Station, useProject, useSlug } from '../api/hooks';
import { FoldingColumn } from '../shared/Fold';
import { Replacements } from '../shared/Replacements';

/** Values of the ability colour_by with which an application loads a config. */
const CONFIG_READERS = ['config', 'transform'];

/** In what else a sheet is saved, by the ending of the file. */
const SHEETS = [
  ['txt', 'text'],
  ['md', 'Markdown'],
  ['json', 'JSON'],
] as const;

/** What the server tells of a package: `proof.json`, shortened. */
interface Proof {
  ready: boolean;
  sentence: string;
  trimmed: string;
  failures: string[];
  cannot: string[];
}

/** The files that an application is given: its package, its sheet, its config. */
export function Exports({ station }: { station: Station }) {
  const slug = useSlug();
  const address = `/api/v1/projects/${slug}/stations/${station.id}`;
  return (
    <FoldingColumn label="Export" guide="guide/handoffs#packages">
      <h2>Export</h2>
      <div className="block" role="group" aria-label={`Package for the ${station.name.toLowerCase()}`}>
        <h3>Package</h3>
        <p className="quiet small">
          Config, scripts that set it, LUTs or profiles with their error, documents, the settings and the test card: a zip that
          works where it is unpacked.
        </p>
        <PackageButton label={`Save package for the ${station.name.toLowerCase()}`} address={`${address}/package`} filled />
        <PackageButton label="Save packages for all" address={`/api/v1/projects/${slug}/package`} />
      </div>
      <div className="block">
        <h3>Settings</h3>
        <div className="row wrap">
          <Button component="a" size="compact-sm" href={`${address}/sheet.html`} download>
            Save to print
          </Button>
          {SHEETS.map(([ending, label]) => (
            <Button
              key={ending}
              component="a"
              size="compact-sm"
              variant="subtle"
              href={`${address}/sheet.${ending}`}
              aria-label={`Save as ${label}`}
              download
            >
              {label}
            </Button>
          ))}
        </div>
      </div>
      {CONFIG_READERS.includes(String(station.abilities.colour_by)) && <StationConfig station={station} />}
      <p className="quiet">
        Every line follows from the project. Change the project and the settings change with it; another config has another name.
      </p>
    </FoldingColumn>
  );
}

/** A package is made while one waits: what is measured in it takes some seconds. */
function PackageButton({ label, address, filled = false }: { label: string; address: string; filled?: boolean }) {
  const save = useMutation({
    mutationFn: async () => {
      const answer = await fetch(address);
      if (!answer.ok) throw new Error(((await answer.json()) as { detail: string }).detail);
      const name = /filename="?([^";]+)/.exec(answer.headers.get('Content-Disposition') ?? '')?.[1] ?? 'package.zip';
      const link = document.createElement('a');
      link.href = URL.createObjectURL(await answer.blob());
      link.download = name;
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
      return JSON.parse(decodeURIComponent(answer.headers.get('X-Proof') ?? 'null')) as Proof | null;
    },
  });
  return (
    <>
      <Button {...(filled ? { variant: 'filled' } : {})} disabled={save.isPending} onClick={() => save.mutate()}>
        {save.isPending ? 'Making it: some seconds …' : label}
      </Button>
      {save.error && <p role="alert">{save.error.message}</p>}
      {save.data && <Played proof={save.data} />}
    </>
  );
}

/** How a package did when it was played, beside the button that made it. */
function Played({ proof }: { proof: Proof }) {
  return (
    <div role={proof.ready ? 'status' : 'alert'} className="small">
      {!proof.ready && <p>This package is not ready: played as it says, it does not give the project’s image.</p>}
      <List items={proof.failures} />
      <p>{proof.sentence}</p>
      {proof.trimmed && <p>Config: {proof.trimmed}.</p>}
      {proof.cannot.length > 0 && <p>Not possible:</p>}
      <List items={proof.cannot} />
    </div>
  );
}

function List({ items }: { items: string[] }) {
  if (items.length === 0) return null;
  return (
    <ul>
      {items.map((item) => (
        <li key={item}>{item}</li>
      ))}
    </ul>
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
              : `The project’s own, OCIO ${config.data.version}.`}{' '}
            It is {config.data.trimmed}.
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
