import { SegmentedControl, Select, TextInput } from '@mantine/core';

import { type Config, useProject } from '../api/hooks';
import { counted } from '../shared/marks';
import { useRemembered } from '../shared/remembered';
import classes from './Config.module.css';

type Space = Config['spaces'][number];

const REFERENCES: Record<string, (space: Space) => boolean> = {
  all: () => true,
  scene: (space) => space.reference === 'scene' && !space.is_data,
  display: (space) => space.reference === 'display',
  data: (space) => space.is_data,
};
const CURVES: Record<string, string[]> = {
  linear: ['scene-linear', 'display-linear'],
  log: ['log'],
  video: ['sdr-video', 'hdr-video', 'edr-video'],
};
const USES: Record<string, (used: boolean) => boolean> = {
  'in use': (used) => used,
  'not in use': (used) => !used,
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
  const [sought, setSought] = useRemembered('spaces sought', '');
  const [reference, setReference] = useRemembered('spaces by reference', 'all');
  const [curve, setCurve] = useRemembered<string | null>('spaces by curve', null);
  const [category, setCategory] = useRemembered<string | null>('spaces by category', null);
  const [use, setUse] = useRemembered<string | null>('spaces by use', null);
  const used = new Set(config.used_spaces);
  const project = useProject();
  const added = new Set(project.data?.setup.added_spaces?.map(({ name }) => name));
  const categories = [...new Set(config.spaces.flatMap((space) => space.categories))].sort();
  const named = (space: Space) =>
    [space.name, space.interop_id, ...space.aliases].some((text) => text.toLowerCase().includes(sought.toLowerCase()));
  const shown = config.spaces.filter(
    (space) =>
      REFERENCES[reference]?.(space) &&
      (!curve || CURVES[curve]?.includes(space.encoding)) &&
      (!category || space.categories.includes(category)) &&
      (!use || USES[use]?.(used.has(space.name))) &&
      named(space),
  );
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
        <SegmentedControl
          aria-label="Referred to"
          value={reference}
          onChange={setReference}
          data={Object.keys(REFERENCES)}
        />
      </div>
      <div className={classes.filters}>
        <Filter label="Curve" none="any curve" data={Object.keys(CURVES)} value={curve} onChange={setCurve} />
        {categories.length > 0 && (
          <Filter label="Category" none="any category" data={categories} value={category} onChange={setCategory} />
        )}
        <Filter label="Use" none="in use or not" data={Object.keys(USES)} value={use} onChange={setUse} />
        <span className="quiet small" style={{ alignSelf: 'center' }}>
          {shown.length} of {counted(config.spaces.length, 'space')}
        </span>
      </div>
      {shown.length === 0 && <p className="quiet">No space matches. Try fewer letters, or clear a filter.</p>}
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
                  {used.has(space.name) && <span className="quiet small"> in use</span>}
                  {added.has(space.name) && <span className="quiet small"> added here</span>}
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

function Filter({
  label,
  none,
  data,
  value,
  onChange,
}: {
  label: string;
  none: string;
  data: string[];
  value: string | null;
  onChange: (value: string | null) => void;
}) {
  return (
    <Select aria-label={label} placeholder={none} data={data} value={value} onChange={onChange} clearable w={140} />
  );
}
