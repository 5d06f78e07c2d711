import type { Finding } from '../api/hooks';

export type Level = Finding['level'];

const SHAPES: Record<Level, { path: string; colour: string }> = {
  blocker: { path: 'M1 1h10v10H1z', colour: 'var(--blocker)' },
  caution: { path: 'M6 .8 11.6 11H.4z', colour: 'var(--caution)' },
  note: { path: 'M6 1a5 5 0 1 1 0 10A5 5 0 0 1 6 1z', colour: 'var(--note)' },
};

/** The shape of a level; the word stands beside it, so it is hidden from a screen reader. */
export function LevelMark({ level }: { level: Level }) {
  return (
    <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true" style={{ flex: 'none' }}>
      <path d={SHAPES[level].path} fill={SHAPES[level].colour} />
    </svg>
  );
}

/** `2 blockers`, `1 caution`. */
export const counted = (count: number, word: string) => `${count} ${word}${count === 1 ? '' : 's'}`;

/** A key of the keyboard. */
export const Key = ({ children }: { children: string }) => <kbd className="kbd">{children}</kbd>;
