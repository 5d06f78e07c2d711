import { useRemembered } from '../shared/remembered';

export const SETTINGS = 'Settings';
export const TEXTURES = 'Textures';
export const TEST_CARD = 'Test card';
export const SIMULATION = 'Simulation';
export const EXPLAIN = 'Explain';

/** What of an application is shown. */
export const useHandoffsView = () => useRemembered<string>('hand-offs show', SETTINGS);
