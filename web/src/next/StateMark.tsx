import type { StepState } from './useNext';

const PATHS: Record<StepState['state'], { path: string; filled: boolean }> = {
  'to do': { path: 'M6 1.5a4.5 4.5 0 1 1 0 9 4.5 4.5 0 0 1 0-9z', filled: false },
  attention: { path: 'M6 .8 11.6 11H.4z', filled: true },
  ready: { path: 'M1.5 6.5 4.7 9.7 10.5 2.8', filled: false },
};

/** The shape of a step's state; its word stands beside it. */
export function StateMark({ state }: { state: StepState['state'] }) {
  const { path, filled } = PATHS[state];
  return (
    <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true" style={{ flex: 'none' }}>
      <path d={path} fill={filled ? 'currentColor' : 'none'} stroke="currentColor" strokeWidth={filled ? 0 : 1.8} />
    </svg>
  );
}
