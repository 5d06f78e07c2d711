import { Button, FileButton, Select } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';

import { type Schemas, send } from '../api/client';
import { type Config, useBuiltins, useSlug } from '../api/hooks';
import { useProposal } from '../shared/proposal';
import { useRemembered } from '../shared/remembered';
import { Term } from '../shared/Term';

/** The config that the project starts from, and ways to start from another. */
export function BaseConfig({ config }: { config: Config }) {
  const slug = useSlug();
  const { propose } = useProposal();
  const builtins = useBuiltins();
  const [choosing, setChoosing] = useRemembered('choosing a base', false);
  const startFrom = (base: string, name: string) => propose({ base }, `Base config ${name}`, 'choosing a base');
  const bring = useMutation({
    mutationFn: (file: File) => send<Schemas['Base']>(`/api/v1/projects/${slug}/base`, { file }),
    onSuccess: ({ base, name }) => startFrom(base, name),
  });
  const current = builtins.data?.find(({ name }) => name === config.base);
  return (
    <div className="block">
      <h2>
        <Term of="Base config" />
      </h2>
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
          defaultDropdownOpened
          maxDropdownHeight={420}
          comboboxProps={{ width: 380, position: 'bottom-start' }}
          renderOption={({ option }) => (
            <div>
              <div>{option.label}</div>
              <div className="quiet small">{builtins.data?.find(({ name }) => name === option.value)?.use}</div>
            </div>
          )}
          onChange={(name) => name && startFrom(`builtin:${name}`, name)}
        />
      ) : (
        <div className="row">
          <Button onClick={() => setChoosing(true)}>Built-in …</Button>
          <FileButton onChange={(file) => file && bring.mutate(file)} accept=".ocio,.ocioz,.zip,.yaml,.yml">
            {(props) => (
              <Button {...props} loading={bring.isPending}>
                Import a config
              </Button>
            )}
          </FileButton>
        </div>
      )}
    </div>
  );
}
