import { Select, type SelectProps } from '@mantine/core';

import { useConfig } from '../api/hooks';

/** A colour space of the project's config, found by typing part of its name or of an alias. */
export function SpaceSelect(props: Omit<SelectProps, 'data'>) {
  const config = useConfig();
  const spaces = config.data?.spaces ?? [];
  const value = props.value ?? '';
  const isListed = value === '' || spaces.some(({ name }) => name === value);
  const group = (reference: string) =>
    spaces.filter((space) => space.reference === reference).map((space) => space.name);
  const aliases = new Map(spaces.map((space) => [space.name, space.aliases.join(' ').toLowerCase()]));
  return (
    <Select
      searchable
      maxDropdownHeight={320}
      nothingFoundMessage="No such space"
      data={[
        { group: 'Scene-referred', items: group('scene') },
        { group: 'Display-referred', items: group('display') },
        ...(isListed ? [] : [{ group: 'Not offered by the config', items: [value] }]),
      ]}
      filter={({ options, search }) => {
        const sought = search.trim().toLowerCase();
        const fits = (name: string) => name.toLowerCase().includes(sought) || aliases.get(name)?.includes(sought);
        return options.map((option) =>
          'items' in option ? { ...option, items: option.items.filter((item) => fits(item.label)) } : option,
        );
      }}
      {...props}
    />
  );
}
