import { useSearchParams } from 'react-router';

import { useRemembered } from '../shared/remembered';

export const SETTINGS = 'Settings';
export const TEXTURES = 'Textures';
export const TEST_CARD = 'Test card';
export const SIMULATION = 'Simulation';
export const EXPLAIN = 'Explain';
export const WATCH = 'Night watch';

/** What of an application is shown; an address that names a watched folder leads to the night watch. */
export function useHandoffsView(): [string, (view: string) => void] {
  const [view, setView] = useRemembered<string>('hand-offs show', SETTINGS);
  const [search, setSearch] = useSearchParams();
  const show = (next: string) => {
    if (search.has('watched')) setSearch({}, { replace: true });
    setView(next);
  };
  return [search.has('watched') ? WATCH : view, show];
}
