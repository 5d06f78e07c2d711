import { Button, FileButton, Select } from '@mantine/core';
import { useState } from 'react';

import { api, body, send } from '../api/client';
import { type Config, type Project, useBuiltins, useChange, useProject } from '../api/hooks';

/** The config that the project starts from, and ways to start from another. */
export function BaseConfig({ config }: { config: Config }) {
  const project = useProject();
  const builtins = useBuiltins();
  const [choosing, setChoosing] = useState(false);
  const basedOn = project.data?.revision.number ?? 0;
  const bring = useChange((slug, file: File) =>
    send<Project>(`/api/projects/${slug}/base`, { file, based_on: String(basedOn) }),
  );
  const choose = useChange((slug, name: string) =>
    body(
      api.POST('/api/projects/{slug}/builtin-base', { params: { path: { slug } }, body: { name, based_on: basedOn } }),
    ),
  );
  const current = builtins.data?.find(({ name }) => name === config.base);
  return (
    <div className="block">
      <h2>Starts from</h2>
      <p className="mono small" style={{ overflowWrap: 'anywhere' }}>
        {config.base}
      </p>
      <p className="quiet small">{current?.use ?? `Needs OCIO ${config.version}.`} The source itself is never changed.</p>
      {choosing ? (
        <Select
          label="Built into the OCIO library"
          data={builtins.data?.map(({ name, kind, aces_version, ocio_version, spaces }) => ({
            value: name,
            label: `${kind === 'cg' ? 'CG' : 'Studio'}, ACES ${aces_version}, OCIO ${ocio_version}, ${spaces} spaces`,
          }))}
          value={current?.name ?? null}
          disabled={choose.isPending}
          defaultDropdownOpened
          onChange={(name) => name && choose.mutate(name, { onSettled: () => setChoosing(false) })}
        />
      ) : (
        <div className="row">
          <Button onClick={() => setChoosing(true)} loading={choose.isPending}>
            Built-in …
          </Button>
          <FileButton onChange={(file) => file && bring.mutate(file)} accept=".ocio,.ocioz,.zip,.yaml,.yml">
            {(props) => (
              <Button {...props} loading={bring.isPending}>
                Bring a config
              </Button>
            )}
          </FileButton>
        </div>
      )}
    </div>
  );
}
