import { Select } from '@mantine/core';

import { useConfig, type ViewChoice } from '../api/hooks';
import { displayName } from './colour';

const OWN_LOOK = 'look of the view';

interface Props {
  choice: ViewChoice;
  onChange: (choice: ViewChoice) => void;
  /** Names what the view is for, for screen readers. */
  label: string;
  labels?: boolean;
}

const named = (name: string, { label, labels = true }: Pick<Props, 'label' | 'labels'>) =>
  labels ? { label: name } : { 'aria-label': `${name}, ${label}` };

/** Display and view, where a display that lacks the view gets its first one. */
export function ViewPair({ choice, onChange, ...naming }: Props) {
  const config = useConfig();
  const displays = config.data?.displays ?? [];
  const views = displays.find((display) => display.name === choice.display)?.views ?? [];
  const changeDisplay = (display: string) => {
    const offered = displays.find((candidate) => candidate.name === display)?.views ?? [];
    const view = offered.includes(choice.view) ? choice.view : (offered[0] ?? '');
    onChange({ ...choice, display, view });
  };
  return (
    <>
      <Select
        {...named('Display', naming)}
        data={displays.map(({ name }) => ({ value: name, label: displayName(name) }))}
        value={choice.display}
        onChange={(display) => display && changeDisplay(display)}
      />
      <Select
        {...named('View', naming)}
        data={views}
        value={choice.view}
        onChange={(view) => view && onChange({ ...choice, view })}
      />
    </>
  );
}

/** Display, view and look. */
export function ViewSelects({ choice, onChange, ...naming }: Props) {
  const config = useConfig();
  return (
    <>
      <ViewPair choice={choice} onChange={onChange} {...naming} />
      <Select
        {...named('Look', naming)}
        data={[{ value: '', label: OWN_LOOK }, ...(config.data?.looks ?? []).map((look) => look.name)]}
        value={choice.look}
        onChange={(look) => onChange({ ...choice, look: look ?? '' })}
      />
    </>
  );
}
