import { api, body } from '../api/client';
import { useChange } from '../api/hooks';
import { useUndo } from '../shared/useUndo';

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

/** Pin files, or with an empty space take their pins away; all or none, and back again on demand. */
export function usePins() {
  const { offer } = useUndo();
  const change = useChange((slug, pins: Pinning[]) =>
    body(api.PUT('/api/v1/projects/{slug}/textures/pins', { params: { path: { slug } }, body: { pins } })),
  );
  const pin = (chosen: Chosen[], space: string, note = '', onDone?: () => void) => {
    change.mutate(
      chosen.map(({ id, version }) => ({ texture: id, based_on: version, space, note })),
      {
        onSuccess: () => {
          onDone?.();
          if (chosen.length > 1)
            offer(space ? `${chosen.length} files set to ${space}.` : `${chosen.length} files follow the rules again.`);
        },
      },
    );
  };
  return { pin, isPending: change.isPending };
}
