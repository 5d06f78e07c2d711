import { Select } from '@mantine/core';

import { css, stops } from '../shared/colour';
import classes from './Compare.module.css';
import type { Marks } from './drawer';
import { LOWEST_STOP, NITS, STOP_COLOURS } from './shader';
import { ON_SCREEN, type OnScreen, type ScreenChoice } from './shown';

const LABELS: Record<Marks, string> = {
  picture: 'The picture',
  stops: 'False colour in stops',
  clipped: 'Stripes where the display is at its limit',
  negative: 'Stripes where light is negative',
  outside: 'Stripes outside the display’s gamut',
};

/** What is shown instead of the picture, or marked on it, and how it is brought to this screen, with legends. */
export function MarkChoice({
  marks,
  onChange,
  screen,
  onScreen,
}: {
  marks: Marks;
  onChange: (marks: Marks) => void;
  screen: ScreenChoice;
  onScreen: (onScreen: OnScreen) => void;
}) {
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
      <Select
        label="On this screen"
        data={Object.entries(ON_SCREEN).map(([value, label]) => ({ value, label }))}
        value={screen.onScreen}
        onChange={(value) => value && onScreen(value as OnScreen)}
      />
      {screen.onScreen === 'nits' && marks === 'picture' && (
        <div className={classes.legend} role="img" aria-label="Nits, by colour">
          {NITS.map(({ from, colour }) => (
            <span key={from}>
              <span style={{ background: css([...colour]) }} />
              <span className="mono">{from}</span>
            </span>
          ))}
        </div>
      )}
      <p className="quiet small">
        {screen.screen === 'srgb'
          ? 'The browser has an sRGB canvas here: wider and brighter displays are rendered for it, and each picture says how.'
          : 'The browser has a Display P3 canvas here; brighter displays are rendered for SDR, and each picture says how.'}
        {matchMedia('(dynamic-range: high)').matches && ' The screen could show HDR; pictures here are SDR all the same.'}
      </p>
    </div>
  );
}
