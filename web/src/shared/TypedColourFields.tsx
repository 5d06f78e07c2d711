import { Select, TextInput } from '@mantine/core';
import { useEffect, useRef } from 'react';

import type { Schemas } from '../api/client';
import { SpaceSelect } from './SpaceSelect';

export type Typed = Omit<Schemas['Tracer'], 'version'>;

const UNITS: Record<Typed['unit'], { label: string; example: string; says?: string }> = {
  '8-bit': { label: '0–255', example: '47 106 104' },
  '10-bit': { label: '0–1023', example: '189 425 417' },
  unit: { label: '0–1', example: '0.18 0.18 0.18' },
  hex: { label: 'hex', example: '#2f6a68' },
  hsv: { label: 'HSV', example: '178 56% 42%', says: 'of the encoding below' },
  hsl: { label: 'HSL', example: '178 38% 30%', says: 'of the encoding below' },
  xyY: { label: 'xyY', example: '0.3127 0.329 0.18', says: 'CIE 1931; D65 is neutral' },
  kelvin: { label: 'Black body, K', example: '3200 0.004', says: 'kelvin, then tint in Duv; positive is green' },
  daylight: { label: 'Daylight, K', example: '5600', says: 'CIE daylight' },
};

/** Lists open within the form: it may stand in a popover, which a click elsewhere closes. */
const IN_PLACE = { withinPortal: false };

/** Units that say what a colour is by themselves. */
const WITHOUT_SPACE: Typed['unit'][] = ['xyY', 'kelvin', 'daylight'];

/** A colour as it is typed: numbers, their unit, and the space they are meant in. */
export function TypedColourFields({
  typed,
  onChange,
  error,
  autoFocus = false,
  codesOnly = false,
}: {
  typed: Typed;
  onChange: (typed: Typed) => void;
  error?: string;
  autoFocus?: boolean;
  /** Code values of a display, which need no space. */
  codesOnly?: boolean;
}) {
  const values = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (autoFocus) values.current?.select();
  }, [autoFocus]);
  const unit = UNITS[typed.unit];
  return (
    <>
      <div className="row" style={{ alignItems: 'flex-start' }}>
        <TextInput
          ref={values}
          label="Colour"
          value={typed.text}
          placeholder={unit.example}
          onChange={(event) => onChange({ ...typed, text: event.currentTarget.value })}
          error={error}
          style={{ flex: 1 }}
          styles={{ input: { fontFamily: 'var(--mono)' } }}
        />
        <Select
          label="Notation"
          w={118}
          comboboxProps={IN_PLACE}
          allowDeselect={false}
          value={typed.unit}
          onChange={(value) => value && onChange({ ...typed, unit: value as Typed['unit'] })}
          data={Object.entries(UNITS)
            .filter(([value]) => !codesOnly || !WITHOUT_SPACE.includes(value as Typed['unit']))
            .map(([value, { label }]) => ({ value, label }))}
        />
      </div>
      {unit.says && <p className="quiet small">{unit.says}</p>}
      {!codesOnly && !WITHOUT_SPACE.includes(typed.unit) && (
        <SpaceSelect
          comboboxProps={IN_PLACE}
          label="Typed in"
          value={typed.space}
          onChange={(space) => space && onChange({ ...typed, space })}
        />
      )}
    </>
  );
}
