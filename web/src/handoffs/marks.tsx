import type { Schemas } from '../api/client';

export type ProofState = Schemas['ProofState'];

/** How far an application is proved: a shape and a word. */
const STATES: Record<ProofState, { word: string; path: string; fill: string }> = {
  'not-tried': { word: 'not tried', path: 'M6 1a5 5 0 1 1 0 10A5 5 0 0 1 6 1z', fill: 'none' },
  proved: { word: 'proved', path: 'M1 6.2 4.6 10 11 2.4', fill: 'none' },
  failed: { word: 'failed', path: 'M1 1h10v10H1z', fill: 'var(--blocker)' },
  undecided: { word: 'undecided', path: 'M6 .8 11.2 6 6 11.2.8 6z', fill: 'none' },
  'out-of-date': { word: 'out of date', path: 'M6 .8 11.6 11H.4z', fill: 'var(--caution)' },
};

export function ProofMark({ state }: { state: ProofState }) {
  const { word, path, fill } = STATES[state];
  return (
    <span className="row small quiet" style={{ gap: 5 }}>
      <svg width="10" height="10" viewBox="0 0 12 12" aria-hidden="true" style={{ flex: 'none' }}>
        <path d={path} fill={fill} stroke={fill === 'none' ? 'currentColor' : 'none'} strokeWidth={1.6} />
      </svg>
      {word}
    </span>
  );
}
