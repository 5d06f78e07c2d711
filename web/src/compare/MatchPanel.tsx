import { Button, Select } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';

import { api, body } from '../api/client';
import { useSlug } from '../api/hooks';
import type { Grade } from './drawer';
import type { PaneState } from './shown';

const KINDS = { exposure: 'exposure', cdl: 'a CDL', curve: 'a curve' } as const;

/** Find the grade that brings the first pane closest to the second. */
export function MatchPanel({
  states,
  common,
  grade,
  onMatch,
}: {
  states: [PaneState, PaneState];
  common: { render: number; exposure: number };
  grade: Grade;
  onMatch: (grade: Grade) => void;
}) {
  const slug = useSlug();
  const [kind, setKind] = useState<keyof typeof KINDS>('cdl');
  const place = grade.place === 'after' ? 'after' : 'before';
  const match = useMutation({
    mutationFn: () =>
      body(
        api.POST('/api/v1/projects/{slug}/pair/match', {
          params: { path: { slug } },
          body: { panes: states, ...common, kind, place, log: grade.log },
        }),
      ),
    onSuccess: (found) => onMatch(found.grade),
  });
  const found = match.data;
  return (
    <div className="block">
      <div className="row" style={{ alignItems: 'flex-end' }}>
        <Select
          label="Match pane 1 to pane 2 by"
          data={Object.entries(KINDS).map(([value, label]) => ({ value, label }))}
          value={kind}
          onChange={(value) => value && setKind(value as keyof typeof KINDS)}
        />
        <Button loading={match.isPending} onClick={() => match.mutate()}>
          Match
        </Button>
      </div>
      {match.error && <p role="alert">{match.error.message}</p>}
      {match.isPending && <p className="quiet small" role="status">Looking for the closest; a few seconds.</p>}
      {found && !match.isPending && (
        <p className="small" role="status">
          {found.after.measure} to pane 2: mean {found.before.mean.toFixed(2)} before,{' '}
          <strong>{found.after.mean.toFixed(2)}</strong> now; 95 % below {found.after.most.toFixed(1)}, largest{' '}
          {found.after.largest.toFixed(1)}. The grade is on all panes: look at pane 1.
        </p>
      )}
    </div>
  );
}
