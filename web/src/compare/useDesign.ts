import { useMemo, useState } from 'react';

import type { Schemas } from '../api/client';
import { type AddedView, useProject, useViewFamilies } from '../api/hooks';
import { useRemembered } from '../shared/remembered';
import type { Shown } from './shown';

export type Design = Schemas['Design'];
export type DesignedFamily = Schemas['DesignedFamily'];

/** The name under which a view that is being designed stands in the config that is looked at. */
const DRAFT_NAME = 'View being designed';

/** A view that is being designed: its family, its parameters, and the steps back. */
export function useDesign() {
  const families = useViewFamilies();
  const project = useProject();
  const display = project.data?.setup.view.display ?? '';
  const [key, setKey] = useRemembered('designed family', 'agx');
  const [steps, setSteps] = useRemembered<{ key: string; design: Design }[]>('design steps', []);
  const [moved, setMoved] = useState<Design>();
  const designed = families.data?.designed ?? [];
  const family = designed.find((candidate) => candidate.key === key);
  const kept = steps.at(-1);
  const design = moved ?? (kept?.key === key ? kept.design : family?.design);
  const draft = useMemo(() => {
    const view = { display, name: DRAFT_NAME, family: key as AddedView['family'], rendering: '', design: design ?? null };
    return JSON.stringify(view);
  }, [display, key, design]);
  return {
    designed,
    family,
    design,
    display,
    /** Show a design without a step back to what was before it, as while a slider is moved. */
    move: setMoved,
    /** Take a design, of this family or another; what was is a step back. */
    take: (next: Design, of = key) => {
      setSteps((before) => [
        ...(before.length === 0 && family ? [{ key, design: family.design }] : before),
        { key: of, design: next },
      ]);
      setKey(of);
      setMoved(undefined);
    },
    canUndo: steps.length > 1,
    undo: () => {
      const earlier = steps.at(-2);
      if (!earlier) return;
      setSteps(steps.slice(0, -1));
      setKey(earlier.key);
      setMoved(undefined);
    },
    /** A picture as the design shows it. */
    through: (shown: Shown): Shown => ({
      ...shown,
      choice: { display, view: DRAFT_NAME, look: '' },
      draft,
      working: '',
      revision: undefined,
    }),
  };
}

export type Designing = ReturnType<typeof useDesign>;
