import type { Schemas } from '../api/client';

type Revision = Schemas['Revision'];

const SAME_SITTING = 5 * 60_000;

/** Revisions, newest first, with runs of edits of the same one part by the same person within minutes put together. */
export function folded(revisions: Revision[]): Revision[][] {
  const runs: Revision[][] = [];
  for (const revision of revisions) {
    const later = runs.at(-1)?.at(-1);
    if (later && continues(later, revision)) runs.at(-1)?.push(revision);
    else runs.push([revision]);
  }
  return runs;
}

function continues(later: Revision, earlier: Revision): boolean {
  const close = Date.parse(later.created) - Date.parse(earlier.created) < SAME_SITTING;
  const samePart = later.parts.length === 1 && later.parts.join() === earlier.parts.join();
  return close && samePart && later.author === earlier.author;
}
