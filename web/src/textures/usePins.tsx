import { Button } from '@mantine/core';
import { notifications } from '@mantine/notifications';

import { api, body } from '../api/client';
import { useChange } from '../api/hooks';

interface Pinning {
  texture: number;
  based_on: number;
  space: string;
  note: string;
}

/** A file at a version. */
interface Chosen {
  id: number;
  version: number;
}

const UNDO_SECONDS = 12;

/** Pin files, or with an empty space take their pins away; all or none, and back again on demand. */
export function usePins() {
  const change = useChange((slug, pins: Pinning[]) =>
    body(api.PUT('/api/v1/projects/{slug}/textures/pins', { params: { path: { slug } }, body: { pins } })),
  );
  const pin = (chosen: Chosen[], space: string, note = '', onDone?: () => void) => {
    change.mutate(
      chosen.map(({ id, version }) => ({ texture: id, based_on: version, space, note })),
      {
        onSuccess: ({ before }) => {
          onDone?.();
          if (before.length > 1) offerUndo(before.length, space, () => change.mutate(before as Pinning[]));
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
      {space ? `${count} files set to ${space}. ` : `${count} files follow the rules again. `}
      <Button
        size="compact-xs"
        onClick={() => {
          undo();
          notifications.hide(id);
        }}
      >
        Undo
      </Button>
    </>
  );
  notifications.show({ id, message, autoClose: UNDO_SECONDS * 1000 });
}
