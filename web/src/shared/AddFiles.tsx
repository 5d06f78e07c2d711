import { Button, Menu, TextInput } from '@mantine/core';
import { type InputHTMLAttributes, useRef } from 'react';

import { useChange } from '../api/hooks';
import { useRemembered } from './remembered';

/** What React's types do not know of file inputs. */
const WHOLE_FOLDER = { webkitdirectory: '' } as InputHTMLAttributes<HTMLInputElement>;

/** The ways in which many files come in. */
export function AddFiles({
  label,
  files,
  filled = false,
  onFiles,
  onPickFiles,
  onFolderInPlace,
  busy,
}: {
  label: string;
  /** What is picked one by one is called. */
  files: string;
  filled?: boolean;
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
          <Button {...(filled ? { variant: 'filled' } : {})} loading={busy}>
            {label}
          </Button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Item onClick={onPickFiles}>{files}</Menu.Item>
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

/** Ask for the path of a folder whose files are read where they lie. */
export function FolderInPlace({
  example,
  onRead,
  onClose,
}: {
  example: string;
  onRead: (slug: string, place: string) => Promise<unknown>;
  onClose: () => void;
}) {
  const [place, setPlace] = useRemembered(`folder typed, such as ${example}`, '');
  const add = useChange(onRead);
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
        placeholder={example}
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
