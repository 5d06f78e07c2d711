import { Button, Select, TextInput } from '@mantine/core';

import { api, body, type Schemas } from '../api/client';
import { useChange, useStationKinds } from '../api/hooks';
import { useRemembered } from '../shared/remembered';

type Kind = NonNullable<Schemas['NewStation']['kind']>;

/** A renderer that hands to a compositor, to see at once what their sheets say. */
export function FirstChain() {
  const add = useChange(async (slug) => {
    const path = { slug };
    await body(
      api.POST('/api/v1/projects/{slug}/stations', { params: { path }, body: { name: 'Renderer', kind: 'renderer', reads: 'textures' } }),
    );
    await body(
      api.POST('/api/v1/projects/{slug}/stations', {
        params: { path },
        body: { name: 'Compositor', kind: 'compositor-nodes', reads: 'renders' },
      }),
    );
  });
  return (
    <Button variant="filled" loading={add.isPending} onClick={() => add.mutate(undefined)}>
      Add a renderer and a compositor
    </Button>
  );
}

/** One more application at the end of the chain, of a kind whose abilities can be changed then. */
export function NewStation({ onAdded }: { onAdded: (id: number) => void }) {
  const kinds = useStationKinds();
  const [name, setName] = useRemembered('new application', '');
  const [kind, setKind] = useRemembered<Kind>('kind of the new application', 'compositor-nodes');
  const add = useChange((slug) =>
    body(api.POST('/api/v1/projects/{slug}/stations', { params: { path: { slug } }, body: { name, kind, reads: 'renders' } })),
  );
  const chosen = kinds.data?.find(({ key }) => key === kind);
  return (
    <form
      className="block"
      aria-label="New application"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate(undefined, {
          onSuccess: ({ id }) => {
            setName('');
            onAdded(id);
          },
        });
      }}
    >
      <h3>Add an application</h3>
      <TextInput
        label="Name"
        value={name}
        maxLength={80}
        error={add.error?.message}
        onChange={(event) => setName(event.currentTarget.value)}
      />
      <Select
        label="What it is"
        description={chosen?.does}
        data={(kinds.data ?? []).map(({ key, label }) => ({ value: key, label }))}
        value={kind}
        allowDeselect={false}
        onChange={(value) => value && setKind(value as Kind)}
      />
      <div>
        <Button type="submit" disabled={!name.trim()} loading={add.isPending}>
          Add
        </Button>
      </div>
    </form>
  );
}
