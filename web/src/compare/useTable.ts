import { useDebouncedCallback } from '@mantine/hooks';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useCallback, useMemo, useRef, useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { type Render, useSlug } from '../api/hooks';
import type { Point } from './Frame';
import { type Grade, NO_GRADE } from './drawer';
import { asPane, type PaneState } from './shown';

type Comparison = Schemas['Comparison'];
export type Kept = Schemas['Kept'];

/** What is on the table, wherever it is kept. */
export interface TableState {
  render: number | null;
  exposure: number;
  panes: PaneState[];
  probes: Point[];
  grade: Grade;
}

type Stored = Pick<Comparison, 'render' | 'exposure' | 'probes'> & { panes: Schemas['Pane'][]; grade?: Schemas['Grade'] };

const pointOf = ([x = 0, y = 0]: number[]): Point => ({ x, y });

const stateOf = (stored: Stored): TableState => ({
  render: stored.render,
  exposure: stored.exposure,
  panes: stored.panes.map((pane) => asPane(pane)),
  probes: stored.probes.map(pointOf),
  grade: (stored.grade as Grade | undefined) ?? NO_GRADE,
});

/** The table of a kept comparison: what is changed on it stays in this window. */
export function useKeptTable(kept: Kept) {
  const [state, setState] = useState(() => stateOf(kept.state));
  const change = useCallback(
    (changed: (before: TableState) => Partial<TableState>) =>
      setState((before) => ({ ...before, ...changed(before) })),
    [],
  );
  return { state, gone: state.panes.map(() => ''), change };
}

/** The table of the project. A change that is made while one is on its way is made on top of it: not refused as stale,
 * and nothing of it lost. */
export function useProjectTable(comparison: Comparison, render: Render | undefined) {
  const latest = useRef(comparison);
  const queue = useRef<Promise<unknown>>(Promise.resolve());
  const slug = useSlug();
  const client = useQueryClient();
  const findAgain = useDebouncedCallback(() => void client.invalidateQueries({ queryKey: [slug, 'findings'] }), {
    delay: 1500,
    flushOnUnmount: true,
  });
  const save = useMutation({
    mutationFn: (change: (before: TableState) => Partial<TableState>) => {
      const next = queue.current.then(async () => {
        if (comparison.version > latest.current.version) latest.current = comparison;
        const before = { ...stateOf(latest.current), render: render?.id ?? null };
        const { probes, ...after } = { ...before, ...change(before) };
        const saved = await body(
          api.PUT('/api/v1/projects/{slug}/comparison', {
            params: { path: { slug } },
            body: { ...after, probes: probes.map(({ x, y }) => [x, y]), based_on: latest.current.version },
          }),
        );
        latest.current = saved;
        return saved;
      });
      queue.current = next.catch(() => undefined);
      return next;
    },
    // Of all that is shown of the project, the table alone has changed, and, with time, what is found in it.
    onSuccess: async (saved) => {
      await client.cancelQueries({ queryKey: [slug, 'comparison'] }); // one asked before would bring back what was
      client.setQueryData([slug, 'comparison'], saved);
      findAgain();
    },
    onError: () => client.invalidateQueries({ queryKey: [slug] }),
  });
  const state = useMemo(() => stateOf(comparison), [comparison]);
  return {
    state,
    gone: comparison.panes.map((pane) => pane.gone),
    change: save.mutate,
  };
}

export type TableOf = ReturnType<typeof useProjectTable>;
