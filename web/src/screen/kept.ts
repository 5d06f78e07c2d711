import type { Schemas } from '../api/client';

const KEPT = 'saltwort.screen';

type Verdict = Schemas['ScreenVerdict'];
interface Kept {
  seen: Schemas['ScreenSeen'];
  verdict: Verdict;
}

/** Keep what was seen on this screen, for this browser. */
export const keepScreen = (seen: Schemas['ScreenSeen'], verdict: Verdict) =>
  localStorage.setItem(KEPT, JSON.stringify({ seen, verdict } satisfies Kept));

function kept(): Kept | undefined {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? 'null') as Kept | undefined;
  } catch {
    return undefined;
  }
}

export const keptSeen = () => kept()?.seen;

/** What was said of this screen, once somebody has looked. */
export const keptVerdict = () => kept()?.verdict;
