import { createContext, useContext } from 'react';

import { useRemembered } from '../shared/remembered';

/** The guide beside the work: what is read in it, a page below docs/ with or without a heading (`guide/textures#rules`), and how to go on. */
export interface Guide {
  place: string | undefined;
  hasBack: boolean;
  go: (place: string) => void;
  back: () => void;
  close: () => void;
  toggle: (place: string) => void;
}

const KEPT = 20;

/** The guide of a project stays open through steps and reloads, until it is closed. */
export function useGuideOfProject(): Guide {
  const [read, setRead] = useRemembered<string[]>('guide', []);
  return {
    place: read.at(-1),
    hasBack: read.length > 1,
    go: (next) => setRead((before) => (before.at(-1) === next ? before : [...before, next].slice(-KEPT))),
    back: () => setRead((before) => before.slice(0, -1)),
    close: () => setRead([]),
    toggle: (place) => setRead((before) => (before.length > 0 ? [] : [place])),
  };
}

export const GuideContext = createContext<Guide | undefined>(undefined);

export const useGuide = () => useContext(GuideContext);
