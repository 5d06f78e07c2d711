import { Select, TextInput } from '@mantine/core';

import type { Schemas } from '../api/client';
import { useRemembered } from '../shared/remembered';

const LOOKED_AT = '';
const ALL = 'all';

/** The frames that outputs are made of, as they were chosen last. */
export const useFrameRange = () => useRemembered('frames of the new output', LOOKED_AT);

/** Which frames of a sequence: the one looked at, all, or a range with a step. */
export function FramesField({
  sequence,
  isWhole,
  value,
  error,
  onChange,
}: {
  sequence: Schemas['Sequence'];
  /** Whether all are meant unless a range is given. */
  isWhole: boolean;
  value: string;
  error: string | undefined;
  onChange: (frames: string) => void;
}) {
  const every = `${sequence.first}-${sequence.last}`;
  const choice = value === ALL || (isWhole && value === LOOKED_AT) ? ALL : value === LOOKED_AT ? LOOKED_AT : 'range';
  return (
    <>
      <Select
        size="xs"
        label="Frames"
        data={[
          ...(isWhole ? [] : [{ value: LOOKED_AT, label: `the one looked at, ${sequence.frame}` }]),
          { value: ALL, label: `all, ${every}` },
          { value: 'range', label: 'a range' },
        ]}
        value={choice}
        allowDeselect={false}
        error={choice === 'range' ? undefined : error}
        onChange={(chosen) => onChange(chosen === 'range' ? every : (chosen ?? LOOKED_AT))}
      />
      {choice === 'range' && (
        <TextInput
          size="xs"
          label="Range"
          description="Such as 1001-1048, 1001-1048x2 or 1001, 1012."
          value={value}
          error={error}
          onChange={(event) => onChange(event.currentTarget.value || every)}
        />
      )}
    </>
  );
}
