import { Button, FileButton } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';

import { send } from '../api/client';
import { useProject, useSlug } from '../api/hooks';
import { type AddedLook, LookForm } from './LookForm';
import { useProposal } from '../shared/proposal';
import { type AddedSpace, SpaceForm } from './SpaceForm';

/** Spaces and looks that the project adds to its config. */
export function Additions() {
  const slug = useSlug();
  const project = useProject();
  const { propose } = useProposal();
  const [adding, setAdding] = useState<'space' | 'look' | AddedLook>();
  const spaces = (project.data?.setup.added_spaces ?? []) as AddedSpace[];
  const looks = (project.data?.setup.added_looks ?? []) as AddedLook[];
  const close = () => setAdding(undefined);
  const addLooks = (added: AddedLook[]) =>
    propose(
      { added_looks: [...looks, ...added] },
      added.length === 1 ? `Look ${added[0]?.name} added` : `${added.length} looks added`,
      close,
    );
  const bring = useMutation({
    mutationFn: (file: File) => send<AddedLook[]>(`/api/v1/projects/${slug}/look-file`, { file }),
    // A LUT does not say what it is made for, so that is asked.
    onSuccess: (brought) => (brought[0]?.lut ? setAdding(brought[0]) : addLooks(brought)),
  });
  return (
    <>
      <div className="block">
        <h3>Spaces of the project’s own</h3>
        {spaces.length === 0 && <p className="quiet small">None; all spaces come with the config.</p>}
        {spaces.map((space) => (
          <Added
            key={space.name}
            name={space.name}
            note={space.interop_id || space.description}
            onRemove={() =>
              propose({ added_spaces: spaces.filter((kept) => kept !== space) }, `Space ${space.name} taken out`)
            }
          />
        ))}
        {adding === 'space' ? (
          <SpaceForm
            onCancel={close}
            onAdd={(space) => propose({ added_spaces: [...spaces, space] }, `Space ${space.name} added`, close)}
          />
        ) : (
          <div>
            <Button onClick={() => setAdding('space')}>Add a space</Button>
          </div>
        )}
      </div>
      <div className="block">
        <h3>Looks of the project’s own</h3>
        {looks.length === 0 && <p className="quiet small">None; looks of the config can be chosen with a view.</p>}
        {looks.map((look) => (
          <Added
            key={look.name}
            name={look.name}
            note={[look.lut, look.description].filter(Boolean).join(', ')}
            onRemove={() =>
              propose({ added_looks: looks.filter((kept) => kept !== look) }, `Look ${look.name} taken out`)
            }
          />
        ))}
        {adding && adding !== 'space' ? (
          <LookForm
            begin={adding === 'look' ? undefined : adding}
            onCancel={close}
            onAdd={(look) => addLooks([look])}
          />
        ) : (
          <div className="row">
            <Button onClick={() => setAdding('look')}>Add a look</Button>
            <FileButton onChange={(file) => file && bring.mutate(file)} accept=".cc,.ccc,.cdl,.cube,.clf">
              {(props) => (
                <Button {...props} loading={bring.isPending}>
                  Bring a look file
                </Button>
              )}
            </FileButton>
            <span className="quiet small">ASC CDL or a LUT: .cc .ccc .cdl .cube .clf</span>
          </div>
        )}
      </div>
    </>
  );
}

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
      <Button size="compact-xs" onClick={onRemove} aria-label={`Take out ${name}`}>
        Take out
      </Button>
    </div>
  );
}
