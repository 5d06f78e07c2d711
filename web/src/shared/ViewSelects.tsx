import { Select } from '@mantine/core';

import { useConfig, type ViewChoice } from '../api/hooks';
import { displayName } from './colour';

const OWN_LOOK = 'own look';

/** Display, view and look, where a display that lacks the view gets its first one. */
export function ViewSelects({
  choice,
  onChange,
  label,
  labels = true,
}: {
  choice: ViewChoice;
  onChange: (choice: ViewChoice) => void;
  /** Names what the view is for, for screen readers. */
  label: string;
  labels?: boolean;
}) {
  const config = useConfig();
  const displays = config.data?.displays ?? [];
  const views = displays.find((display) => display.name === choice.display)?.views ?? [];
  const field = (name: string) => (labels ? { label: name } : { 'aria-label': `${name}, ${label}` });
  const changeDisplay = (display: string) => {
    const offered = displays.find((candidate) => candidate.name === display)?.views ?? [];
    const view = offered.includes(choice.view) ? choice.view : (offered[0] ?? '');
    onChange({ ...choice, display, view });
  };
  return (
    <>
      <Select
        {...field('Display')}
        data={displays.map(({ name }) => ({ value: name, label: displayName(name) }))}
        value={choice.display}
        onChange={(display) => display && changeDisplay(display)}
      />
      <Select
        {...field('View')}
        data={views}
        value={choice.view}
        onChange={(view) => view && onChange({ ...choice, view })}
      />
      <Select
        {...field('Look')}
        data={[{ value: '', label: OWN_LOOK }, ...(config.data?.looks ?? []).map((look) => look.name)]}
        value={choice.look}
        onChange={(look) => onChange({ ...choice, look: look ?? '' })}
      />
    </>
  );
}
