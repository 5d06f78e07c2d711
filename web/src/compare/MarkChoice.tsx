import { Select } from '@mantine/core';

import { css, stops } from '../shared/colour';
import classes from './Compare.module.css';
import { LOWEST_STOP, type Marks, STOP_COLOURS } from './drawer';

const LABELS: Record<Marks, string> = {
  picture: 'The picture',
  stops: 'False colour in stops',
  clipped: 'Stripes where the display is at its limit',
  negative: 'Stripes where light is negative',
  outside: 'Stripes outside the display’s gamut',
};

/** What is shown instead of the picture, or marked on it, with a legend. */
export function MarkChoice({ marks, onChange }: { marks: Marks; onChange: (marks: Marks) => void }) {
  return (
    <div className="block">
      <Select
        label="Show"
        data={Object.entries(LABELS).map(([value, label]) => ({ value, label }))}
        value={marks}
        onChange={(value) => value && onChange(value as Marks)}
      />
      {marks === 'stops' && (
        <div className={classes.legend} role="img" aria-label="Stops from middle grey, by colour">
          {STOP_COLOURS.map((colour, index) => (
            <span key={index}>
              <span style={{ background: css([...colour]) }} />
              <span className="mono">{index + LOWEST_STOP === 0 ? '0' : stops(index + LOWEST_STOP, 0)}</span>
            </span>
          ))}
        </div>
      )}
    </div>
  );
}
