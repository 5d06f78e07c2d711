import { useSearchParams } from 'react-router';

import { Migrate } from '../migrate/Migrate';
import { Segments } from '../shared/Segments';
import { Colours } from './Colours';
import { Renders } from './Renders';
import { Rig } from './Rig';
import { WorkingSpace } from './WorkingSpace';

const PARTS = {
  space: { label: 'Working space', Part: WorkingSpace },
  colours: { label: 'Colours', Part: Colours },
  rig: { label: 'Lights and rig', Part: Rig },
  renders: { label: 'Renders', Part: Renders },
  migrate: { label: 'Migrate', Part: Migrate },
};
type Part = keyof typeof PARTS;

/** The working space, the colours and lights in it, and pictures: of the rig, and those brought along. */
export function Scene() {
  const [search, setSearch] = useSearchParams();
  const asked = search.get('part') ?? 'colours';
  const part = asked in PARTS ? (asked as Part) : 'colours';
  const { Part } = PARTS[part];
  const parts = (
    <Segments
      aria-label="Part of the scene"
      value={part}
      onChange={(value) => setSearch({ part: value })}
      data={Object.entries(PARTS).map(([value, { label }]) => ({ value, label }))}
      style={{ alignSelf: 'flex-start', flex: 'none' }}
    />
  );
  return <Part parts={parts} />;
}
