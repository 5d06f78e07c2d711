import { type Config, useProject } from '../api/hooks';
import { SpaceSelect } from '../shared/SpaceSelect';
import { useProposal } from '../shared/proposal';

const WORKING_SPACE = 'scene_linear';

/** What each role is for, and the space that has it. */
export function RoleTable({ config }: { config: Config }) {
  const project = useProject();
  const { proposed, propose } = useProposal();
  const set = proposed?.parts.roles ?? project.data?.setup.roles ?? [];
  const spaceOf = (role: Config['roles'][number]) => set.find((one) => one.role === role.name)?.space ?? role.space;
  return (
    <table className="list">
      <thead>
        <tr>
          <th>Role</th>
          <th>Read for</th>
          <th style={{ width: 240 }}>Space</th>
        </tr>
      </thead>
      <tbody>
        {config.roles.map((role) => (
          <tr key={role.name}>
            <td className="mono small">{role.name}</td>
            <td className="quiet">{role.use}</td>
            <td>
              {role.name === WORKING_SPACE ? (
                <span className="mono">{role.space}</span>
              ) : (
                <SpaceSelect
                  aria-label={`Space of the role ${role.name}`}
                  value={spaceOf(role)}
                  onChange={(space) =>
                    space &&
                    space !== spaceOf(role) &&
                    propose(
                      { roles: [...set.filter((kept) => kept.role !== role.name), { role: role.name, space }] },
                      `Role ${role.name}: ${space}`,
                    )
                  }
                />
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
