import { Button, Select, TextInput } from '@mantine/core';

import { type AddedView, useConfig, useProject, useViewFamilies } from '../api/hooks';
import { displayName } from '../shared/colour';
import { useProposal } from '../shared/proposal';
import { useForget, useRemembered } from '../shared/remembered';

/** The views that the project adds to its displays. */
export function AddedViews() {
  const project = useProject();
  const { propose } = useProposal();
  const [adding, setAdding] = useRemembered('adding a view', false);
  const forget = useForget();
  const views = (project.data?.setup.added_views ?? []) as AddedView[];
  return (
    <div className="block">
      <h3>Views added by this project</h3>
      {views.length === 0 && !adding && <p className="quiet small">None yet. The views above come with the base config.</p>}
      {views.map((view) => (
        <div key={`${view.display} ${view.name}`} className="row spread">
          <span>
            {view.name} <span className="quiet small">on {displayName(view.display)}</span>
          </span>
          <Button
            size="compact-xs"
            onClick={() =>
              propose(
                { added_views: views.filter((kept) => kept !== view) },
                `View ${view.name} removed from ${displayName(view.display)}`,
              )
            }
          >
            Remove
          </Button>
        </div>
      ))}
      {adding ? (
        <ViewForm
          onCancel={() => forget(...FORM)}
          onAdd={(view) =>
            propose({ added_views: [...views, view] }, `View ${view.name} on ${displayName(view.display)}`, ...FORM)
          }
        />
      ) : (
        <div>
          <Button onClick={() => setAdding(true)}>Add a view</Button>
        </div>
      )}
    </div>
  );
}

const FORM = ['adding a view', 'new view'];

function ViewForm({
  onAdd,
  onCancel,
}: {
  onAdd: (view: AddedView) => void;
  onCancel: () => void;
}) {
  const config = useConfig();
  const offered = useViewFamilies();
  const [view, setView] = useRemembered<AddedView>('new view', {
    display: config.data?.displays[0]?.name ?? '',
    name: '',
    family: 'agx',
    rendering: '',
    design: null,
  });
  const set = (part: Partial<AddedView>) => setView({ ...view, ...part });
  const family = offered.data?.families.find(({ key }) => key === view.family);
  const renderings = family?.renderings ?? [];
  const suggested = `${family?.label ?? ''} ${view.rendering}`.trim();
  return (
    <form
      className="card chosen block"
      aria-label="New view"
      onSubmit={(event) => {
        event.preventDefault();
        onAdd({ ...view, name: view.name.trim() || suggested });
      }}
    >
      <div className="row" style={{ alignItems: 'flex-end' }}>
        <Select
          label="Family"
          data={offered.data?.families.map(({ key, label }) => ({ value: key, label })) ?? []}
          value={view.family}
          onChange={(key) => key && set({ family: key as AddedView['family'], rendering: '' })}
        />
        <Select
          label="On display"
          data={config.data?.displays.map(({ name }) => ({ value: name, label: displayName(name) })) ?? []}
          value={view.display}
          onChange={(display) => display && set({ display })}
        />
        <TextInput
          label="Name of the view"
          placeholder={suggested}
          value={view.name}
          onChange={(event) => set({ name: event.currentTarget.value })}
        />
      </div>
      {renderings.length > 0 && (
        <Select
          label="Rendering"
          searchable
          placeholder="Type nits, Rec709, P3 …"
          data={renderings.map(({ name, description }) => ({ value: name, label: description }))}
          value={view.rendering || null}
          onChange={(rendering) => rendering && set({ rendering })}
        />
      )}
      <p className="quiet small">{family?.use}</p>
      <div className="row">
        <Button type="submit" variant="filled" disabled={renderings.length > 0 && !view.rendering}>
          Add the view
        </Button>
        <Button onClick={onCancel}>Cancel</Button>
      </div>
    </form>
  );
}
