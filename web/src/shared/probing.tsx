import type { KeyboardEvent } from 'react';

import { NumberField } from './NumberField';

/** A pixel of a picture, from its upper left. */
export interface Pixel {
  x: number;
  y: number;
}

interface Size {
  width: number;
  height: number;
}

const FAR = 10;
const ARROWS: Record<string, Pixel> = {
  ArrowLeft: { x: -1, y: 0 },
  ArrowRight: { x: 1, y: 0 },
  ArrowUp: { x: 0, y: -1 },
  ArrowDown: { x: 0, y: 1 },
};

const within = (place: number, size: number) => Math.min(size - 1, Math.max(0, Math.round(place)));

/** Have a focused picture move its probe by the arrow keys, ten pixels with Shift, and hold it with Enter. */
export function probeKeys(size: Size, at: Pixel | undefined, onMove: (to: Pixel) => void, onHold?: (at: Pixel) => void) {
  const start = at ?? { x: Math.floor(size.width / 2), y: Math.floor(size.height / 2) };
  return (event: KeyboardEvent) => {
    const by = ARROWS[event.key];
    if (!by && event.key !== 'Enter') return;
    event.preventDefault();
    event.stopPropagation(); // the page has other uses for arrows
    const far = event.shiftKey ? FAR : 1;
    if (by) onMove({ x: within(start.x + by.x * far, size.width), y: within(start.y + by.y * far, size.height) });
    else (onHold ?? onMove)(start);
  };
}

/** Where the probe is, to be typed. */
export function PlaceFields({ at, size, onMove }: { at: Pixel | undefined; size: Size; onMove: (to: Pixel) => void }) {
  const { x, y } = at ?? { x: '' as const, y: '' as const };
  const go = (part: Partial<Pixel>) => onMove({ x: Number(x) || 0, y: Number(y) || 0, ...part });
  return (
    <span className="row" style={{ gap: 4 }}>
      {(['x', 'y'] as const).map((axis) => {
        const highest = (axis === 'x' ? size.width : size.height) - 1;
        return (
          <NumberField
            key={axis}
            aria-label={`Probe ${axis}, pixels`}
            leftSection={axis}
            leftSectionWidth={20}
            hideControls
            w={76}
            min={0}
            max={highest}
            allowDecimal={false}
            value={axis === 'x' ? x : y}
            onChange={(value) => typeof value === 'number' && go({ [axis]: within(value, highest + 1) })}
          />
        );
      })}
    </span>
  );
}
