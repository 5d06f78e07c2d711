import { Button, Menu, TextInput } from '@mantine/core';
import { type InputHTMLAttributes, useRef } from 'react';

import { api, body } from '../api/client';
import { useChange } from '../api/hooks';
import { useRemembered } from '../shared/remembered';

/** What React's types do not know of file inputs. */
const WHOLE_FOLDER = { webkitdirectory: '' } as InputHTMLAttributes<HTMLInputElement>;

/** The ways in which textures come in. */
export function AddTextures({
  onFiles,
  onPickFiles,
  onFolderInPlace,
  busy,
}: {
  onFiles: (files: File[]) => void;
  onPickFiles: () => void;
  onFolderInPlace: () => void;
  busy: boolean;
}) {
  const folder = useRef<HTMLInputElement>(null);
  return (
    <>
      <Menu position="bottom-end">
        <Menu.Target>
          <Button variant="filled" loading={busy}>
            Add files
          </Button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Item onClick={onPickFiles}>Files, or a zip</Menu.Item>
          <Menu.Item onClick={() => folder.current?.click()}>A folder, copied</Menu.Item>
          <Menu.Item onClick={onFolderInPlace}>A folder, left where it is</Menu.Item>
        </Menu.Dropdown>
      </Menu>
      <input
        ref={folder}
        type="file"
        hidden
        multiple
        {...WHOLE_FOLDER}
        onChange={(event) => {
          onFiles([...(event.currentTarget.files ?? [])]);
          event.currentTarget.value = '';
        }}
      />
    </>
  );
}

/** Ask for the path of a folder whose textures are read where they lie. */
export function FolderInPlace({ onClose }: { onClose: () => void }) {
  const [place, setPlace] = useRemembered('folder typed', '');
  const add = useChange((slug, typed: string) =>
    body(
      api.POST('/api/v1/projects/{slug}/texture-folders', { params: { path: { slug } }, body: { place: typed } }),
    ),
  );
  return (
    <form
      className="card chosen block"
      aria-label="Folder, left where it is"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate(place, { onSuccess: onClose });
      }}
    >
      <TextInput
        label="Folder on the machine that runs Saltwort"
        description="Its pictures are measured and shown, and stay where they are. Rescan when they have changed."
        placeholder="/shows/lantern_quay/textures"
        value={place}
        onChange={(event) => setPlace(event.currentTarget.value)}
        error={add.error?.message}
        data-autofocus
        autoFocus
      />
      <div className="row">
        <Button type="submit" variant="filled" disabled={!place.trim()} loading={add.isPending}>
          Read the folder
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </form>
  );
}
