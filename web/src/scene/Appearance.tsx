import { Button } from '@mantine/core';
import { keepPreviousData, useQuery } from '@tanstack/react-query';

import { api, body, type Schemas } from '../api/client';
import { type Swatch, useProject, useSlug } from '../api/hooks';
import { css, figures } from '../shared/colour';
import { Copyable } from '../shared/Copyable';
import { LevelMark } from '../shared/marks';
import classes from './Scene.module.css';

export type Appears = Required<Schemas['AppearanceFields']>;

/** What lies in the scene so that code values appear as given, the wish beside what comes out, and what would help. */
export function Appearance({
  unit,
  text,
  use,
  appears,
  onChange,
}: {
  unit: Swatch['unit'];
  text: string;
  use: Swatch['use'];
  appears: Appears;
  onChange: (change: { use?: Swatch['use']; appears?: Appears }) => void;
}) {
  const slug = useSlug();
  const project = useProject();
  const working = project.data?.setup.working_space ?? '';
  const solved = useQuery({
    queryKey: [slug, 'appearance', project.data?.revision.number, unit, text, use, appears],
    queryFn: () =>
      body(api.GET('/api/v1/projects/{slug}/appearance', { params: { path: { slug }, query: { unit, text, use, ...appears } } })),
    enabled: text.trim() !== '',
    retry: false,
    placeholderData: keepPreviousData,
  });
  if (!solved.data || solved.isError) return null;
  const { on_screen, is_held, difference, metric, why, remedies } = solved.data;
  return (
    <div className="block" aria-label="As it appears">
      <div className={classes.wish}>
        {['asked for', is_held ? 'appears' : 'nearest possible'].map((label, index) => (
          <figure key={label}>
            <span className={classes.paint} style={{ background: css(on_screen[index] ?? [0, 0, 0]) }} />
            <figcaption className="quiet small">{label}</figcaption>
          </figure>
        ))}
      </div>
      {is_held ? (
        <p className="small">Appears as asked for.</p>
      ) : (
        <p className="row small">
          <LevelMark level="caution" />
          <span>
            {metric} {difference.toFixed(1)} away. {why}
          </span>
        </p>
      )}
      <p className="small">
        <span className="quiet">{use === 'light' ? 'a light of' : 'a surface of'}, in {working}</span>
        <br />
        <span className="mono">
          <Copyable value={figures(solved.data.working)} of={`${working} values`} />
        </span>
      </p>
      {remedies.length > 0 && (
        <>
          <h3>What would allow it</h3>
          <ul className={classes.remedies}>
            {remedies.map((remedy) => {
              const change = changeFor(remedy, appears);
              return (
                <li key={remedy.kind} className="row spread small">
                  <span>{remedy.says}</span>
                  {change && (
                    <Button size="compact-xs" style={{ flexShrink: 0 }} onClick={() => onChange(change)}>
                      Use
                    </Button>
                  )}
                </li>
              );
            })}
          </ul>
        </>
      )}
    </div>
  );
}

function changeFor(remedy: Schemas['Remedy'], appears: Appears): { use?: Swatch['use']; appears?: Appears } | undefined {
  if (remedy.kind === 'lamp') return { use: 'light' };
  if (remedy.stops !== null) return { appears: { ...appears, stops: remedy.stops } };
  if (remedy.view) return { appears: { ...appears, display: remedy.display, view: remedy.view, look: '' } };
  return undefined;
}
