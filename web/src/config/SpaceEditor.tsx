import { Button, Select, Textarea, TextInput } from '@mantine/core';

import type { Schemas } from '../api/client';
import { type Config, useProject, useViewFamilies } from '../api/hooks';
import { useProposal } from '../shared/proposal';
import { useForget, useRemembered } from '../shared/remembered';

type Space = Config['spaces'][number];
type SpaceEdit = Required<Schemas['SpaceEdit']>;

const words = (text: string) => text.split(/\s*,\s*/).filter(Boolean);

/** Name and describe a space of the base config otherwise. Its numbers stay. */
export function SpaceEditor({ space }: { space: Space }) {
  const project = useProject();
  const { propose } = useProposal();
  const [open, setOpen] = useRemembered(`describing ${space.name}`, false);
  const forget = useForget();
  const form = [`describing ${space.name}`, `description of ${space.name}`];
  const setup = project.data?.setup;
  const edits = (setup?.space_edits ?? []) as SpaceEdit[];
  const edit = edits.find((kept) => (kept.name || kept.space) === space.name);
  const others = edits.filter((kept) => kept !== edit);
  if (setup?.added_spaces.some((added) => added.name === space.name)) return null; // the project's own: see Added
  return (
    <>
      {!open && (
        <div className="row">
          <Button onClick={() => setOpen(true)}>Rename and describe</Button>
          {edit && (
            <Button onClick={() => propose({ space_edits: others }, `${edit.space} as in the base config`)}>
              As it was: {edit.space}
            </Button>
          )}
        </div>
      )}
      {open && (
        <EditForm
          space={space}
          edit={edit}
          onCancel={() => forget(...form)}
          onEdit={(made) =>
            propose({ space_edits: [...others, made] }, `Space ${made.name || made.space} described`, ...form)
          }
        />
      )}
    </>
  );
}

function EditForm({
  space,
  edit,
  onEdit,
  onCancel,
}: {
  space: Space;
  edit: SpaceEdit | undefined;
  onEdit: (edit: SpaceEdit) => void;
  onCancel: () => void;
}) {
  const offered = useViewFamilies();
  const [{ name, aliases, family, encoding, description }, setTyped] = useRemembered(`description of ${space.name}`, {
    name: space.name,
    aliases: edit?.aliases.join(', ') ?? '',
    family: space.family,
    encoding: space.encoding as string,
    description: space.description,
  });
  const set = (part: Record<string, string>) => setTyped((typed) => ({ ...typed, ...part }));
  const original = edit?.space ?? space.name;
  const changed = (value: string, was: string, kept: string | null | undefined) => (value === was ? (kept ?? null) : value);
  return (
    <form
      className="card chosen block"
      aria-label="Space described"
      onSubmit={(event) => {
        event.preventDefault();
        onEdit({
          space: original,
          name: name.trim() === original ? '' : name.trim(),
          aliases: words(aliases),
          family: changed(family, space.family, edit?.family),
          encoding: changed(encoding, space.encoding, edit?.encoding) as SpaceEdit['encoding'],
          description: changed(description, space.description, edit?.description),
          is_data: edit?.is_data ?? false,
        });
      }}
    >
      <TextInput label="Name" value={name} onChange={(event) => set({ name: event.currentTarget.value })} />
      <TextInput
        label="More aliases"
        placeholder="one, two"
        value={aliases}
        onChange={(event) => set({ aliases: event.currentTarget.value })}
      />
      <div className="row">
        <TextInput label="Family" value={family} onChange={(event) => set({ family: event.currentTarget.value })} />
        <Select
          label="Encoding"
          data={offered.data?.encodings ?? []}
          value={encoding || null}
          onChange={(value) => set({ encoding: value ?? '' })}
        />
      </div>
      <Textarea
        label="Description"
        size="xs"
        autosize
        maxRows={6}
        value={description}
        onChange={(event) => set({ description: event.currentTarget.value })}
      />
      <p className="quiet small">Its old name stays as an alias, so whatever says it still finds the space.</p>
      <div className="row">
        <Button type="submit" variant="filled" disabled={!name.trim()}>
          See what this changes
        </Button>
        <Button onClick={onCancel}>Cancel</Button>
      </div>
    </form>
  );
}
