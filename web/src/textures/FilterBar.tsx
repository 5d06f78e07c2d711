import { Button, Select, TextInput } from '@mantine/core';
import { useDebouncedCallback, useHotkeys } from '@mantine/hooks';
import { useRef, useState } from 'react';

import type { Schemas } from '../api/client';
import { type Rule, useProject } from '../api/hooks';
import { ANY_FINDING, type Filters, NO_FILTERS, reasonLabel } from './filters';
import classes from './Textures.module.css';
import { useTextureChoices } from './useTextureList';

const TYPING = 200;

/** Find files by their names and spaces, and narrow the list by what is known of them. */
export function FilterBar({ filters, onChange }: { filters: Filters; onChange: (filters: Filters) => void }) {
  const search = useRef<HTMLInputElement>(null);
  const [typed, setTyped] = useState(filters.sought);
  const { data } = useTextureChoices();
  const rules = (useProject().data?.setup.rules ?? []) as Rule[];
  useHotkeys([['/', () => search.current?.focus()]]);
  const set = (part: Partial<Filters>) => onChange({ ...filters, ...part });
  const seek = useDebouncedCallback((sought: string) => set({ sought }), TYPING);
  const reasons = data?.reasons.map((choice) => ({ ...choice, label: reasonLabel(choice.value, rules) }));
  const choices: [keyof Filters, string, { value: string; label: string }[]][] = [
    ['kind', 'Map kind', options(data?.kinds)],
    ['space', 'Read as', options(data?.spaces)],
    ['reason', 'Because', options(reasons)],
    ['finding', 'Finding', [{ value: ANY_FINDING, label: 'any finding' }, ...options(data?.findings)]],
    ['set', 'Set', options(data?.sets)],
  ];
  const narrows = Object.values(filters).some(Boolean);
  return (
    <>
      <div className={classes.filters}>
        {choices.map(([key, label, offered]) => (
          <Select
            key={key}
            aria-label={label}
            placeholder={label}
            value={filters[key] || null}
            onChange={(value) => set({ [key]: value ?? '' })}
            data={offered}
            size="xs"
            clearable
            searchable
            limit={100}
            comboboxProps={{ width: 240, position: 'bottom-start' }}
          />
        ))}
      </div>
      <div className="row">
        <TextInput
          ref={search}
          aria-label="Find a file"
          placeholder="Find by name or space"
          value={typed}
          onChange={(event) => {
            setTyped(event.currentTarget.value);
            seek(event.currentTarget.value);
          }}
          style={{ flex: 1 }}
        />
        {narrows && (
          <Button
            variant="subtle"
            onClick={() => {
              setTyped('');
              onChange(NO_FILTERS);
            }}
          >
            Show all
          </Button>
        )}
      </div>
    </>
  );
}

const options = (choices: Schemas['Choice'][] = []) =>
  choices
    .map(({ value, label, count }) => ({ value, label: `${label} (${count.toLocaleString('en-GB')})` }))
    .sort((one, other) => one.label.localeCompare(other.label));
