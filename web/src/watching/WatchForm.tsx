import { Button, Select, TextInput } from '@mantine/core';
import { useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { useChange, useProject, useRenders, useStations, type ViewChoice } from '../api/hooks';
import { ViewPair } from '../shared/ViewSelects';
import type { Watched } from './useWatched';

const LIGHT = 'light';
const VIEW = 'view';
const NONE = '';

/** A folder to watch, and what its frames should hold. */
export function WatchForm({ onAdded, onClose }: { onAdded: (folder: Watched) => void; onClose: () => void }) {
  const project = useProject().data;
  const stations = useStations().data ?? [];
  const renders = useRenders().data ?? [];
  const [folder, setFolder] = useState('');
  const [holds, setHolds] = useState(LIGHT);
  const [view, setView] = useState<ViewChoice>();
  const [station, setStation] = useState(NONE);
  const [render, setRender] = useState(NONE);
  const choice = view ?? (project?.setup.view as ViewChoice | undefined);
  const add = useChange((slug, asked: Schemas['WatchRequest']) =>
    body(api.POST('/api/v1/projects/{slug}/watched', { params: { path: { slug } }, body: asked })),
  );
  const submit = () =>
    add.mutate(
      {
        folder,
        expects_light: holds === LIGHT,
        display: holds === VIEW ? (choice?.display ?? '') : '',
        view: holds === VIEW ? (choice?.view ?? '') : '',
        ...(station ? { station: Number(station) } : {}),
        ...(render ? { render: Number(render) } : {}),
      },
      { onSuccess: onAdded },
    );
  return (
    <form
      className="card chosen block"
      aria-label="Folder to watch"
      onSubmit={(event) => {
        event.preventDefault();
        submit();
      }}
    >
      <TextInput
        size="xs"
        label="Folder on the machine that runs Saltwort"
        placeholder="/home/me/lantern_quay/night"
        value={folder}
        onChange={(event) => setFolder(event.currentTarget.value)}
        error={add.error?.message}
        autoFocus
      />
      <Select
        size="xs"
        label="Its frames hold"
        data={[
          { value: LIGHT, label: 'light in the working space' },
          { value: VIEW, label: 'pictures through a view' },
        ]}
        value={holds}
        allowDeselect={false}
        onChange={(value) => value && setHolds(value)}
      />
      {holds === VIEW && choice && <ViewPair choice={choice} onChange={setView} label="of the frames" />}
      <Select
        size="xs"
        label="They come from"
        data={[{ value: NONE, label: 'not known' }, ...stations.map(({ id, name }) => ({ value: String(id), label: name }))]}
        value={station}
        allowDeselect={false}
        onChange={(value) => setStation(value ?? NONE)}
      />
      <Select
        size="xs"
        label="The first is held beside"
        description="Later ones are held beside the good ones before them."
        data={[{ value: NONE, label: 'nothing' }, ...renders.map(({ id, name }) => ({ value: String(id), label: name }))]}
        value={render}
        allowDeselect={false}
        onChange={(value) => setRender(value ?? NONE)}
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
