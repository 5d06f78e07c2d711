import { Select, Switch, TextInput } from '@mantine/core';

import type { Schemas } from '../api/client';
import { NumberField } from '../shared/NumberField';
import { SpaceSelect } from '../shared/SpaceSelect';

export type Option = Schemas['Option'];
export type Value = string | number | boolean;
export type Values = Record<string, Value>;

/** Whether a setting does anything beside the others. */
export const matters = (option: Option, values: Values) =>
  option.only.every(({ key, values: wanted }) => wanted.includes(String(values[key])));

/** One setting of a deliverable; display, view and look are chosen together elsewhere. */
export function OptionField({
  option,
  value,
  error,
  onChange,
}: {
  option: Option;
  value: Value;
  error: string | undefined;
  onChange: (value: Value) => void;
}) {
  const common = { size: 'xs', label: option.label, description: option.use || undefined, error };
  switch (option.kind) {
    case 'choice':
      return (
        <Select
          {...common}
          data={option.choices.map((choice) => ({ value: choice.value, label: choice.label }))}
          value={String(value)}
          allowDeselect={false}
          onChange={(chosen) => chosen !== null && onChange(chosen)}
        />
      );
    case 'switch':
      return <Switch {...common} checked={Boolean(value)} onChange={(event) => onChange(event.currentTarget.checked)} />;
    case 'number':
    case 'whole':
      return (
        <NumberField
          {...common}
          label={option.unit ? `${option.label}, ${option.unit}` : option.label}
          value={Number(value)}
          {...(option.lowest === null ? {} : { min: option.lowest })}
          {...(option.highest === null ? {} : { max: option.highest })}
          allowDecimal={option.kind === 'number'}
          step={option.kind === 'number' ? 0.5 : 1}
          decimalScale={option.kind === 'number' ? 3 : 0}
          onChange={(typed) => onChange(Number(typed) || 0)}
        />
      );
    case 'space':
      return (
        <SpaceSelect
          {...common}
          value={String(value) || null}
          clearable={option.default === ''}
          placeholder={option.default === '' ? 'none' : ''}
          onChange={(space) => onChange(space ?? '')}
        />
      );
    default:
      return <TextInput {...common} value={String(value)} onChange={(event) => onChange(event.currentTarget.value)} />;
  }
}
