import type { Config } from '../api/hooks';
import { Facts } from '../shared/Facts';

/** What the config says of one space. */
export function SpaceFacts({ space, config }: { space: Config['spaces'][number]; config: Config }) {
  const roles = config.roles.filter((role) => role.space === space.name).map((role) => role.name);
  return (
    <div className="block">
      <h2>{space.name}</h2>
      <Facts
        facts={[
          { name: 'referred to', value: space.is_data ? 'nothing: data' : space.reference },
          { name: 'encoding', value: space.encoding || 'not said' },
          { name: 'family', value: space.family || 'none' },
          { name: 'interop ID', value: space.interop_id || 'none' },
          { name: 'roles', value: roles.join(', ') || 'none' },
          { name: 'aliases', value: space.aliases.join(', ') || 'none' },
        ]}
      />
      {space.description && <p className="quiet small">{space.description}</p>}
    </div>
  );
}
