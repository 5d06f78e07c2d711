import { useState } from 'react';

import type { Light } from '../api/hooks';

/** Lights as they are tried: stops other than saved, one alone, some silent. */
export interface LightMix {
  stops: Record<string, number>;
  solo: string;
  muted: string[];
  setStops: (light: string, stops: number) => void;
  /** Stops that are saved are no longer tried: else they would come back after an undo. */
  forget: (tried: Record<string, number>) => void;
  toggleSolo: (light: string) => void;
  toggleMuted: (light: string) => void;
}

export function useLightMix(lights: Light[] | undefined): LightMix {
  const [stops, setStops] = useState<Record<string, number>>({});
  const [solo, setSolo] = useState('');
  const [muted, setMuted] = useState<string[]>([]);
  const saved = new Map(lights?.map((light) => [light.name as string, light.stops]));
  return {
    stops: Object.fromEntries(Object.entries(stops).filter(([light, value]) => saved.get(light) !== value)),
    solo,
    muted,
    setStops: (light, value) => setStops((before) => ({ ...before, [light]: value })),
    forget: (tried) =>
      setStops((before) => Object.fromEntries(Object.entries(before).filter(([light, value]) => tried[light] !== value))),
    toggleSolo: (light) => setSolo((before) => (before === light ? '' : light)),
    toggleMuted: (light) =>
      setMuted((before) => (before.includes(light) ? before.filter((other) => other !== light) : [...before, light])),
  };
}

/** The mix as a picture is asked for. */
export const asked = ({ stops, solo, muted }: LightMix) => ({
  stops: Object.entries(stops)
    .map(([light, value]) => `${light}:${value}`)
    .join(','),
  solo,
  muted: muted.join(','),
});
