import { notifications } from '@mantine/notifications';
import { useMutation, useQueryClient } from '@tanstack/react-query';

import { api, body, tell } from '../api/client';
import { projectOf, useChange, useSlug } from '../api/hooks';
import { tellWith } from './tellWith';

type Move = 'undo' | 'redo';

/** Take back the last thing done in the project, whatever it was, and do it again. The message says what it was. */
export function useUndo() {
  const slug = useSlug();
  const client = useQueryClient();
  const { mutate } = useMutation({
    scope: { id: 'undo' }, // one after the other, however fast the keys are pressed
    mutationFn: async (move: Move) => {
      const project = await client.fetchQuery(projectOf(slug));
      const action = project[move];
      if (!action) return undefined;
      const asked = { params: { path: { slug } }, body: { based_on: action.id } };
      return told(
        `${move === 'undo' ? 'Undoing' : 'Doing again'}: ${action.what} …`,
        body(
          move === 'undo'
            ? api.POST('/api/v1/projects/{slug}/undo', asked)
            : api.POST('/api/v1/projects/{slug}/redo', asked),
        ),
      );
    },
    onSuccess: (action, move) => {
      const other = move === 'undo' ? 'redo' : 'undo';
      if (action) {
        const by = action.author && `, by ${action.author}`;
        tellWith(`${move === 'undo' ? 'Undone' : 'Done again'}: ${action.what}${by}.`, LABELS[other], () => mutate(other));
      } else {
        tell(`There is nothing to ${move}.`);
      }
      return client.invalidateQueries({ queryKey: [slug] });
    },
  });
  return {
    undo: () => mutate('undo'),
    redo: () => mutate('redo'),
    /** Say what was done, with a button that takes it back. */
    offer: (done: string) => tellWith(done, LABELS.undo, () => mutate('undo')),
  };
}

/** Say what is under way, where it takes longer than a moment: an import of a whole show does. */
async function told<Answer>(doing: string, answer: Promise<Answer>): Promise<Answer> {
  const waiting = setTimeout(
    () => notifications.show({ id: UNDER_WAY, message: doing, loading: true, autoClose: false, withCloseButton: false }),
    MOMENT,
  );
  try {
    return await answer;
  } finally {
    clearTimeout(waiting);
    notifications.hide(UNDER_WAY);
  }
}

/** A change that removes something: what it was is told, with a button that brings it back. */
export function useRemoval<Argument>(remove: (slug: string, argument: Argument) => Promise<unknown>, what: string) {
  const { offer } = useUndo();
  return useChange(async (slug, argument: Argument) => {
    await remove(slug, argument);
    offer(`${what} removed.`);
  });
}

const UNDER_WAY = 'undo under way';
/** Milliseconds. */
const MOMENT = 700;
const LABELS = { undo: 'Undo', redo: 'Redo' };
