import { Button, Select, TextInput } from '@mantine/core';
import { useHotkeys } from '@mantine/hooks';
import { useRef } from 'react';

import type { Finding, Texture } from '../api/hooks';
import { ANY_FINDING, type Filters, grouped, NO_FILTERS, NO_KIND } from './filters';
import { reasonWord } from './reason';
import classes from './Textures.module.css';

/** Find files by their names and spaces, and narrow the list by what is known of them. */
export function FilterBar({
  textures,
  findings,
  filters,
  onChange,
}: {
  textures: Texture[];
  findings: Finding[];
  filters: Filters;
  onChange: (filters: Filters) => void;
}) {
  const search = useRef<HTMLInputElement>(null);
  useHotkeys([['/', () => search.current?.focus()]]);
  const paths = new Set(textures.map(({ path }) => path));
  const about = findings.filter(({ subject }) => paths.has(subject));
  const sets = grouped(textures).filter((group) => group.textures.length > 1);
  const set = (part: Partial<Filters>) => onChange({ ...filters, ...part });
  const choices: [keyof Filters, string, { value: string; label: string }[]][] = [
    ['kind', 'Map kind', options(textures.map(({ kind }) => [kind?.key ?? NO_KIND, kind?.label ?? 'not told']))],
    ['space', 'Read as', options(textures.map(({ assignment: { space } }) => [space, space]))],
    ['reason', 'Because', options(textures.map(({ assignment }) => [reasonWord(assignment), reasonWord(assignment)]))],
    [
      'finding',
      'Finding',
      [{ value: ANY_FINDING, label: 'any finding' }, ...options(about.map(({ code, title }) => [code, title]))],
    ],
    ['set', 'Set', options(sets.flatMap(({ key, name, textures: files }) => files.map((): [string, string] => [key, name])))],
  ];
  const narrows = Object.values(filters).some(Boolean);
  return (
    <>
      <div className={classes.filters}>
        {choices.map(([key, label, data]) => (
          <Select
            key={key}
            aria-label={label}
            placeholder={label}
            value={filters[key] || null}
            onChange={(value) => set({ [key]: value ?? '' })}
            data={data}
            size="xs"
            clearable
            searchable
            comboboxProps={{ width: 240, position: 'bottom-start' }}
          />
        ))}
      </div>
      <div className="row">
        <TextInput
          ref={search}
          aria-label="Find a file"
          placeholder="Find by name or space"
          value={filters.sought}
          onChange={(event) => set({ sought: event.currentTarget.value })}
          style={{ flex: 1 }}
        />
        {narrows && (
          <Button variant="subtle" onClick={() => onChange(NO_FILTERS)}>
            Show all
          </Button>
        )}
      </div>
    </>
  );
}

/** Each value once, by its label, with how often it occurs. */
function options(pairs: [string, string][]) {
  const counts = new Map<string, { label: string; count: number }>();
  for (const [value, label] of pairs) {
    const known = counts.get(value);
    if (known) known.count += 1;
    else counts.set(value, { label, count: 1 });
  }
  return [...counts]
    .map(([value, { label, count }]) => ({ value, label: `${label} (${count})` }))
    .sort((one, other) => one.label.localeCompare(other.label));
}
