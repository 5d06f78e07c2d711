import { Select } from '@mantine/core';

import { type Config, useProject, useStations, useViewFamilies } from '../api/hooks';
import { useProposal } from '../shared/proposal';
import { Term } from '../shared/Term';

/** The oldest OCIO that must read the config. */
export function TargetVersion({ config }: { config: Config }) {
  const project = useProject();
  const offered = useViewFamilies();
  const stations = useStations();
  const { proposed, propose } = useProposal();
  const set = project.data?.setup.target_version ?? '';
  const oldest = (stations.data ?? [])
    .map((station) => String(station.abilities['ocio_version']))
    .sort((one, other) => one.localeCompare(other, 'en', { numeric: true }))[0];
  return (
    <div className="block">
      <h2>
        <Term of="Target OCIO version" />
      </h2>
      <Select
        aria-label="OCIO version"
        data={[
          { value: 'own', label: set ? 'what it needs by itself' : `OCIO ${config.version}, as it needs` },
          ...(offered.data?.versions ?? []).map((version) => ({ value: version, label: `OCIO ${version}` })),
        ]}
        value={(proposed?.parts.target_version ?? set) || 'own'}
        onChange={(value) => {
          const version = value === 'own' ? '' : (value ?? '');
          propose(
            { target_version: version as NonNullable<typeof proposed>['parts']['target_version'] },
            version ? `Config for OCIO ${version}` : 'Config for the version it needs',
          );
        }}
      />
      <p className="quiet small">
        {oldest
          ? `Your oldest application loads OCIO ${oldest}. What an older version cannot hold is shown before it is saved.`
          : 'Choose what your oldest application reads. What that cannot hold is shown before it is saved.'}
      </p>
    </div>
  );
}
