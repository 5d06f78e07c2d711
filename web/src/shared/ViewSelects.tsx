import { Button, Select } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { useNavigate } from 'react-router';

import { type AddedView, useChangeSetup, useConfig, useProject, useSlug, type ViewChoice } from '../api/hooks';
import { displayName } from './colour';
import { useRemembered } from './remembered';

/** Stands in a list of views for what is not there yet. */
const ADD = '+';
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

/** Display and view. A display that lacks the view says so, shows its first one, and offers to add the view. */
export function ViewPair({ choice, onChange, ...naming }: Props) {
  const config = useConfig();
  const displays = config.data?.displays ?? [];
  const views = displays.find((display) => display.name === choice.display)?.views ?? [];
  const offerView = useOfferView();
  const addView = useAddView();
  const changeDisplay = (display: string) => {
    const offered = displays.find((candidate) => candidate.name === display)?.views ?? [];
    const view = offered.includes(choice.view) ? choice.view : (offered[0] ?? '');
    onChange({ ...choice, display, view });
    if (view !== choice.view) offerView(choice.view, display, view, () => onChange({ ...choice, display }));
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
        data={[...views, { value: ADD, label: 'Add AgX, filmic, ACES …' }]}
        value={choice.view}
        onChange={(view) => (view === ADD ? addView() : view && onChange({ ...choice, view }))}
      />
    </>
  );
}

/** Open the form for a view of any family, in Config. */
function useAddView() {
  const slug = useSlug();
  const navigate = useNavigate();
  const [, setTab] = useRemembered('config tab', '');
  const [, setAdding] = useRemembered('adding a view', false);
  return () => {
    setTab('Displays and views');
    setAdding(true);
    void navigate(`/p/${slug}/config`);
  };
}

/** Tell that a display lacks a view, with a way to add it there where the project knows how it is made. */
function useOfferView() {
  const project = useProject();
  const change = useChangeSetup();
  const added = (project.data?.setup.added_views ?? []) as AddedView[];
  return (wanted: string, display: string, shown: string, onAdded: () => void) => {
    const known = added.find(({ name }) => name === wanted);
    const id = `no-view-${display}`;
    const add = () => {
      notifications.hide(id);
      const views = [...added, { ...known, display }] as AddedView[];
      const message = `View ${wanted} on ${displayName(display)}`;
      change.mutate({ added_views: views, message }, { onSuccess: onAdded });
    };
    notifications.show({
      id,
      autoClose: 12_000,
      message: (
        <>
          {displayName(display)} has no view “{wanted}”, so “{shown}” is shown.{' '}
          {known ? (
            <Button size="compact-xs" onClick={add}>
              Add {wanted} to {displayName(display)}
            </Button>
          ) : (
            'Add it in Config, under Displays and views.'
          )}
        </>
      ),
    });
  };
}

/** The look that is applied before the view. */
export function LookSelect({ choice, onChange, ...naming }: Props) {
  const config = useConfig();
  return (
    <Select
      {...named('Look', naming)}
      data={[{ value: '', label: OWN_LOOK }, ...(config.data?.looks ?? []).map((look) => look.name)]}
      value={choice.look}
      onChange={(look) => onChange({ ...choice, look: look ?? '' })}
    />
  );
}

/** Display, view and look. */
export function ViewSelects(props: Props) {
  return (
    <>
      <ViewPair {...props} />
      <LookSelect {...props} />
    </>
  );
}
