import { Button, FileButton } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';

import { send } from '../api/client';
import { useProject, useSlug } from '../api/hooks';
import { type AddedLook, LookForm } from './LookForm';
import { useFormProposal, useProposal } from '../shared/proposal';
import { useForget, useRemembered } from '../shared/remembered';
import { type AddedSpace, SpaceForm } from './SpaceForm';

/** Spaces that the project adds to its config. */
export function AddedSpaces() {
  const project = useProject();
  const { propose } = useProposal();
  const form = useFormProposal();
  const [adding, setAdding] = useRemembered('adding a space', false);
  const spaces = (project.data?.setup.added_spaces ?? []) as AddedSpace[];
  const forget = useForget();
  return (
    <div className="block">
      <h3>Spaces added by this project</h3>
      {spaces.length === 0 && <p className="quiet small">None yet. All spaces come with the base config.</p>}
      {spaces.map((space) => (
        <Added
          key={space.name}
          name={space.name}
          note={space.interop_id || space.description}
          onRemove={() => propose({ added_spaces: spaces.filter((kept) => kept !== space) }, `Space ${space.name} removed`)}
        />
      ))}
      {adding ? (
        <SpaceForm
          form={form}
          onCancel={() => forget(...SPACE_FORM)}
          onAdd={(space) => void form.submit({ added_spaces: [...spaces, space] }, `Space ${space.name} added`, ...SPACE_FORM)}
        />
      ) : (
        <div>
          <Button onClick={() => setAdding(true)}>Add a space</Button>
        </div>
      )}
    </div>
  );
}

/** Looks that the project adds to its config, typed or from a file. */
export function AddedLooks() {
  const slug = useSlug();
  const project = useProject();
  const { propose } = useProposal();
  const form = useFormProposal();
  const [adding, setAdding] = useRemembered<'look' | AddedLook | null>('adding a look', null);
  const looks = (project.data?.setup.added_looks ?? []) as AddedLook[];
  const forget = useForget();
  const addLooks = (added: AddedLook[]) =>
    form.submit(
      { added_looks: [...looks, ...added] },
      added.length === 1 ? `Look ${added[0]?.name} added` : `${added.length} looks added`,
      ...LOOK_FORM,
    );
  const importFile = useMutation({
    mutationFn: (file: File) => send<AddedLook[]>(`/api/v1/projects/${slug}/look-file`, { file }),
    // A LUT does not say what it is made for, so that is asked.
    onSuccess: (found) => {
      if (found[0]?.lut) setAdding(found[0]);
      else void addLooks(found);
    },
  });
  return (
    <div className="block">
      <h3>Looks added by this project</h3>
      {looks.length === 0 && <p className="quiet small">None yet. Looks of the base config can be chosen with a view.</p>}
      {looks.map((look) => (
        <Added
          key={look.name}
          name={look.name}
          note={[look.lut, look.description].filter(Boolean).join(', ')}
          onRemove={() => propose({ added_looks: looks.filter((kept) => kept !== look) }, `Look ${look.name} removed`)}
        />
      ))}
      {adding ? (
        <LookForm
          begin={adding === 'look' ? undefined : adding}
          form={form}
          onCancel={() => forget(...LOOK_FORM)}
          onAdd={(look) => void addLooks([look])}
        />
      ) : (
        <div className="row">
          <Button onClick={() => setAdding('look')}>Add a look</Button>
          <FileButton onChange={(file) => file && importFile.mutate(file)} accept=".cc,.ccc,.cdl,.cube,.clf">
            {(props) => (
              <Button {...props} loading={importFile.isPending}>
                Import a look file
              </Button>
            )}
          </FileButton>
          {form.errorAt('', []) && <p role="alert">{form.errorAt('', [])}</p>}
          <span className="quiet small">ASC CDL or a LUT: .cc .ccc .cdl .cube .clf</span>
        </div>
      )}
    </div>
  );
}

const SPACE_FORM = ['adding a space', 'new space', 'new space from', 'new space undoes'];
const LOOK_FORM = ['adding a look', 'new look'];

function Added({
  name,
  note,
  onRemove,
}: {
  name: string;
  note?: string;
  onRemove: () => void;
}) {
  return (
    <div className="row spread">
      <span>
        {name} <span className="quiet small">{note}</span>
      </span>
      <Button size="compact-xs" onClick={onRemove} aria-label={`Remove ${name}`}>
        Remove
      </Button>
    </div>
  );
}
