import { createContext, useContext } from 'react';

import type { Schemas } from '../api/client';
import type { Render, ViewChoice } from '../api/hooks';
import { displayName, stops } from '../shared/colour';
import type { Screen } from './drawer';

/** What is stored of a pane; null and no working space follow what all panes show. */
export type PaneState = Required<Schemas['Pane']>;

export const asPane = (pane: Schemas['Pane']): PaneState => ({
  display: pane.display,
  view: pane.view,
  look: pane.look,
  exposure: pane.exposure ?? null,
  render: pane.render ?? null,
  layer: pane.layer ?? null,
  working: pane.working,
});

/** A picture as it is to be drawn: all that it depends on, whether its pane's own or that of all panes. */
export interface Shown {
  /** A render, or the name of a test picture. */
  render: Render | string;
  layer: string;
  choice: ViewChoice;
  /** Stops. */
  exposure: number;
  /** The working space, where it is not that of the project. */
  working: string;
  /** A view that is being designed, as JSON. */
  draft: string;
  /** A revision of the config, where it is not the current one. */
  revision: number | undefined;
}

/** What a pane shows, with all that it does not have of its own. */
export function shownIn(
  pane: PaneState,
  all: { render: Render; renders: Render[]; exposure: number; revision: number | undefined },
): Shown {
  const own = all.renders.find(({ id }) => id === pane.render);
  const render = own ?? all.render;
  return {
    render,
    layer: pane.layer ?? render.layer,
    choice: { display: pane.display, view: pane.view, look: pane.look },
    exposure: pane.exposure ?? all.exposure,
    working: pane.working,
    draft: '',
    revision: all.revision,
  };
}

/** The query of a config that is not the current one. */
export const configQuery = ({ working, draft, revision }: Pick<Shown, 'working' | 'draft' | 'revision'>) => ({
  ...(working ? { working } : {}),
  ...(draft ? { draft } : {}),
  ...(revision === undefined ? {} : { revision }),
});

export const TEST_PICTURES = {
  ramp: 'Grey ramp',
  lights: 'Saturated lights',
  skin: 'Skin-like surfaces',
  foliage: 'Foliage-like surfaces',
  rig: 'The rig',
} as const;

export const pictureName = ({ render, layer }: Pick<Shown, 'render' | 'layer'>) => {
  if (typeof render === 'string') return TEST_PICTURES[render as keyof typeof TEST_PICTURES];
  return layer ? `${render.name}, ${layer}` : render.name;
};

export const viewName = ({ display, view, look }: ViewChoice) =>
  `${view} on ${displayName(display)}${look ? `, look ${look}` : ''}`;

/** What stands below a picture that leaves the application: picture, view, display, exposure and working space. */
export const captionOf = (shown: Shown, working: string) =>
  `${viewName(shown.choice)} · ${stops(shown.exposure)} stops · ${pictureName(shown)} · in ${shown.working || working}`;

/** How pictures are brought to this screen. */
export const ON_SCREEN = {
  light: 'As the display’s light',
  codes: 'As plain code values',
  nits: 'As a heat map in nits',
} as const;
export type OnScreen = keyof typeof ON_SCREEN;

export interface ScreenChoice {
  onScreen: OnScreen;
  /** What this browser's canvas is drawn for. */
  screen: Screen;
}

export const ScreenContext = createContext<ScreenChoice>({ onScreen: 'light', screen: 'srgb' });
export const useScreen = () => useContext(ScreenContext);

/** The widest screen that this browser can be drawn for, by its own word. */
export function screenOfBrowser(): Screen {
  const canDraw = 'drawingBufferColorSpace' in WebGL2RenderingContext.prototype;
  return canDraw && matchMedia('(color-gamut: p3)').matches ? 'display-p3' : 'srgb';
}
