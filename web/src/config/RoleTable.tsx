import type { Config } from '../api/hooks';

/** What each role is for and which space has it. */
export function RoleTable({ config, onSelect }: { config: Config; onSelect: (space: string) => void }) {
  return (
    <table className="list">
      <thead>
        <tr>
          <th>Role</th>
          <th>Space</th>
          <th>Read for</th>
        </tr>
      </thead>
      <tbody>
        {config.roles.map((role) => (
          <tr key={role.name}>
            <td className="mono small">{role.name}</td>
            <td>
              <button className="bare" onClick={() => onSelect(role.space)}>
                {role.space}
              </button>
            </td>
            <td className="quiet">{role.use}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
