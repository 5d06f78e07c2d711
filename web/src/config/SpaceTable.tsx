import { SegmentedControl, TextInput } from '@mantine/core';
import { useState } from 'react';

import type { Config } from '../api/hooks';

const KINDS: Record<string, (space: Config['spaces'][number]) => boolean> = {
  all: () => true,
  scene: (space) => space.reference === 'scene' && !space.is_data,
  display: (space) => space.reference === 'display',
  data: (space) => space.is_data,
};

/** The config's colour spaces, found by name, alias or interop ID. */
export function SpaceTable({
  config,
  selected,
  onSelect,
}: {
  config: Config;
  selected: string | undefined;
  onSelect: (name: string) => void;
}) {
  const [sought, setSought] = useState('');
  const [kind, setKind] = useState('all');
  const fits = (space: Config['spaces'][number]) =>
    [space.name, space.interop_id, ...space.aliases].some((text) => text.toLowerCase().includes(sought.toLowerCase()));
  const shown = config.spaces.filter((space) => KINDS[kind]?.(space) && fits(space));
  return (
    <>
      <div className="row">
        <TextInput
          aria-label="Find a space"
          placeholder="Find by name, alias or interop ID"
          value={sought}
          onChange={(event) => setSought(event.currentTarget.value)}
          style={{ flex: 1 }}
        />
        <SegmentedControl aria-label="Kind" value={kind} onChange={setKind} data={Object.keys(KINDS)} />
      </div>
      {shown.length === 0 && <p className="quiet">No space is called that. Try fewer letters.</p>}
      {shown.length > 0 && (
        <table className="list picking">
          <thead>
            <tr>
              <th>Space</th>
              <th>Encoding</th>
              <th>Interop ID</th>
            </tr>
          </thead>
          <tbody>
            {shown.map((space) => (
              <tr key={space.name} aria-selected={space.name === selected} onClick={() => onSelect(space.name)}>
                <td>
                  <button className="bare" onClick={() => onSelect(space.name)}>
                    {space.name}
                  </button>
                </td>
                <td className="quiet">{space.encoding}</td>
                <td className="mono small quiet">{space.interop_id}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
