import { Button } from '@mantine/core';
import { notifications } from '@mantine/notifications';

import { api, body } from '../api/client';
import { type Texture, useChange } from '../api/hooks';

interface Pinning {
  texture: number;
  based_on: number;
  space: string;
  note: string;
}

const UNDO_SECONDS = 12;

/** Pin files, or with an empty space take their pins away; all or none, and back again on demand. */
export function usePins() {
  const change = useChange((slug, pins: Pinning[]) =>
    body(api.PUT('/api/projects/{slug}/textures/pins', { params: { path: { slug } }, body: { pins } })),
  );
  const pin = (textures: Texture[], space: string, note = '', onDone?: () => void) => {
    const before = textures.map((texture): Pinning => {
      const { reason, space: now } = texture.assignment;
      const pinned = reason.kind === 'pin';
      return { texture: texture.id, based_on: texture.version + 1, space: pinned ? now : '', note: pinned ? reason.name : '' };
    });
    change.mutate(
      textures.map((texture) => ({ texture: texture.id, based_on: texture.version, space, note })),
      {
        onSuccess: () => {
          onDone?.();
          if (textures.length > 1) offerUndo(textures.length, space, () => change.mutate(before));
        },
      },
    );
  };
  return { pin, isPending: change.isPending };
}

function offerUndo(count: number, space: string, undo: () => void) {
  const id = `pins-${Date.now()}`;
  const message = (
    <>
      {space ? `${count} files are pinned to ${space}. ` : `${count} pins are taken away. `}
      <Button
        size="compact-xs"
        onClick={() => {
          undo();
          notifications.hide(id);
        }}
      >
        Put back as they were
      </Button>
    </>
  );
  notifications.show({ id, message, autoClose: UNDO_SECONDS * 1000 });
}
