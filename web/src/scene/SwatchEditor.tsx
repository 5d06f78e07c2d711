import { Button, TextInput } from '@mantine/core';
import { useState } from 'react';

import { api, body } from '../api/client';
import { type Swatch, useChange, useFindings, useProject } from '../api/hooks';
import { figures } from '../shared/colour';
import { Facts } from '../shared/Facts';
import { FindingCard } from '../shared/FindingCard';
import { TypedColourFields } from '../shared/TypedColourFields';

/** Type a colour, new or anew, and read what it becomes. */
export function SwatchEditor({
  swatch,
  isAdding,
  onAdded,
  onRemoved,
}: {
  swatch: Swatch | undefined;
  /** Somebody asked for a new colour, and is about to type. */
  isAdding: boolean;
  onAdded: (id: number) => void;
  onRemoved: () => void;
}) {
  const project = useProject();
  const findings = useFindings();
  const [name, setName] = useState(swatch?.name ?? '');
  const [typed, setTyped] = useState({
    space: swatch?.space ?? project.data?.setup.default_space ?? '',
    unit: swatch?.unit ?? ('8-bit' as const),
    text: swatch?.text ?? '',
  });
  const save = useChange((slug) => {
    const fields = { name, ...typed };
    return swatch
      ? body(
          api.PUT('/api/projects/{slug}/swatches/{id}', {
            params: { path: { slug, id: swatch.id } },
            body: { ...fields, based_on: swatch.version },
          }),
        )
      : body(api.POST('/api/projects/{slug}/swatches', { params: { path: { slug } }, body: fields }));
  });
  const remove = useChange((slug, id: number) =>
    body(api.DELETE('/api/projects/{slug}/swatches/{id}', { params: { path: { slug, id } } })),
  );
  const own = findings.data?.filter(({ code, subject }) => code.startsWith('swatch.') && subject === swatch?.name) ?? [];

  return (
    <>
      <h2>{swatch ? swatch.name : 'New colour'}</h2>
      {own.map((finding) => (
        <FindingCard key={finding.code} finding={finding} />
      ))}
      <form
        className="block"
        onSubmit={(event) => {
          event.preventDefault();
          save.mutate(undefined, { onSuccess: (saved) => onAdded(saved.id) });
        }}
      >
        <TextInput
          label="Name"
          value={name}
          placeholder="enamel, skin, logo …"
          onChange={(event) => setName(event.currentTarget.value)}
        />
        <TypedColourFields typed={typed} onChange={setTyped} error={save.error?.message} autoFocus={isAdding} />
        <div className="row">
          <Button type="submit" variant="filled" loading={save.isPending}>
            {swatch ? 'Save' : 'Add colour'}
          </Button>
          {swatch && (
            <Button
              variant="subtle"
              loading={remove.isPending}
              onClick={() => remove.mutate(swatch.id, { onSuccess: onRemoved })}
            >
              Delete
            </Button>
          )}
        </div>
      </form>
      {swatch && (
        <div className="block">
          <h3>What it becomes</h3>
          <Facts
            facts={[
              { name: `in ${project.data?.setup.working_space}`, value: figures(swatch.working) },
              { name: 'through the view', value: figures(swatch.shown) },
              { name: 'as 8-bit', value: figures(swatch.shown, '8-bit') },
            ]}
          />
          <p className="quiet small">
            Give a renderer the numbers of the working space, or the typed ones with their space: never the typed ones
            alone.
          </p>
        </div>
      )}
    </>
  );
}
