import { SegmentedControl, TextInput } from '@mantine/core';
import { useEffect, useRef } from 'react';

import type { Schemas } from '../api/client';
import { SpaceSelect } from './SpaceSelect';

export type Typed = Omit<Schemas['Tracer'], 'version'>;

const EXAMPLES: Record<Typed['unit'], string> = { unit: '0.18 0.18 0.18', '8-bit': '47 106 104', hex: '#2f6a68' };

/** A colour as it is typed: numbers, their unit, and the space they are meant in. */
export function TypedColourFields({
  typed,
  onChange,
  error,
  autoFocus = false,
}: {
  typed: Typed;
  onChange: (typed: Typed) => void;
  error?: string;
  autoFocus?: boolean;
}) {
  const values = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (autoFocus) values.current?.select();
  }, [autoFocus]);
  return (
    <>
      <TextInput
        ref={values}
        label="Colour"
        value={typed.text}
        placeholder={EXAMPLES[typed.unit]}
        onChange={(event) => onChange({ ...typed, text: event.currentTarget.value })}
        error={error}
        styles={{ input: { fontFamily: 'var(--mono)' } }}
      />
      <SegmentedControl
        aria-label="Unit"
        value={typed.unit}
        onChange={(unit) => onChange({ ...typed, unit: unit as Typed['unit'] })}
        data={[
          { value: '8-bit', label: '0–255' },
          { value: 'unit', label: '0–1' },
          { value: 'hex', label: 'hex' },
        ]}
      />
      <SpaceSelect
        label="Typed in"
        value={typed.space}
        onChange={(space) => space && onChange({ ...typed, space })}
      />
    </>
  );
}
