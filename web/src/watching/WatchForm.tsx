import { Button, Select, TextInput } from '@mantine/core';
import { useForm } from '@mantine/form';

import { api, body, type Schemas } from '../api/client';
import { useChange, useProject, useRenders, useStations, type ViewChoice } from '../api/hooks';
import { ViewPair } from '../shared/ViewSelects';
import type { Watched } from './useWatched';

const LIGHT = 'light';
const VIEW = 'view';
const NONE = '';

interface Wanted {
  folder: string;
  holds: string;
  view: ViewChoice | undefined;
  station: string;
  render: string;
}

/** A folder to watch, and what its frames should hold. */
export function WatchForm({ onAdded, onClose }: { onAdded: (folder: Watched) => void; onClose: () => void }) {
  const project = useProject().data;
  const stations = useStations().data ?? [];
  const renders = useRenders().data ?? [];
  const form = useForm<Wanted>({ initialValues: { folder: '', holds: LIGHT, view: undefined, station: NONE, render: NONE } });
  const { folder, holds, view, station, render } = form.values;
  const choice = view ?? (project?.setup.view as ViewChoice | undefined);
  const add = useChange((slug, asked: Schemas['WatchRequest']) =>
    body(api.POST('/api/v1/projects/{slug}/watched', { params: { path: { slug } }, body: asked })),
  );
  const submit = form.onSubmit(() =>
    add.mutate(
      {
        folder,
        expects_light: holds === LIGHT,
        display: holds === VIEW ? (choice?.display ?? '') : '',
        view: holds === VIEW ? (choice?.view ?? '') : '',
        ...(station ? { station: Number(station) } : {}),
        ...(render ? { render: Number(render) } : {}),
      },
      { onSuccess: onAdded, onError: ({ message }) => form.setFieldError('folder', message) },
    ),
  );
  return (
    <form
      className="card chosen block"
      aria-label="Folder to watch"
      onSubmit={submit}
    >
      <TextInput
        size="xs"
        label="Folder on the machine that runs Saltwort"
        placeholder="/home/me/lantern_quay/night"
        {...form.getInputProps('folder')}
        autoFocus
      />
      <Select
        size="xs"
        label="Its frames hold"
        data={[
          { value: LIGHT, label: 'light in the working space' },
          { value: VIEW, label: 'pictures through a view' },
        ]}
        allowDeselect={false}
        {...form.getInputProps('holds')}
      />
      {holds === VIEW && choice && <ViewPair choice={choice} onChange={(value) => form.setFieldValue('view', value)} label="of the frames" />}
      <Select
        size="xs"
        label="They come from"
        data={[{ value: NONE, label: 'not known' }, ...stations.map(({ id, name }) => ({ value: String(id), label: name }))]}
        allowDeselect={false}
        {...form.getInputProps('station')}
      />
      <Select
        size="xs"
        label="The first is held beside"
        description="Later ones are held beside the good ones before them."
        data={[{ value: NONE, label: 'nothing' }, ...renders.map(({ id, name }) => ({ value: String(id), label: name }))]}
        allowDeselect={false}
        {...form.getInputProps('render')}
      />
      <div className="row">
        <Button type="submit" size="xs" variant="filled" disabled={!folder.trim()} loading={add.isPending}>
          Watch it
        </Button>
        <Button size="xs" onClick={onClose}>
          Cancel
        </Button>
      </div>
    </form>
  );
}
