import { Button, Select } from '@mantine/core';

import { api, body, tell, type Schemas } from '../api/client';
import { isBusy, useChange, useRenders } from '../api/hooks';
import { counted } from '../shared/marks';
import { Fold } from '../shared/Fold';
import type { Habit, OldScene } from './useOldScenes';

const MOST_SHOWN = 8;

/** What a scene holds, and a way to take it into the project. */
export function FoundFacts({ scene, found }: { scene: OldScene; found: Schemas['Found'] }) {
  const read = useChange((slug) =>
    body(api.POST('/api/v1/projects/{slug}/old-scenes/{id}/read-into', { params: { path: { slug, id: scene.id } } })),
  );
  return (
    <div className="block">
      <span className="small">
        {counted(found.documents.length, 'document')}, {counted(found.pictures, 'picture')}, {counted(found.colours, 'typed colour')},{' '}
        {counted(found.lights.length, 'light')}; colours are light in <span className="mono">{found.working_space}</span>
      </span>
      <div className="row">
        <Button
          loading={read.isPending}
          title="Textures become textures of the project, typed colours its swatches, and the rig is lit in the colours of the lights"
          onClick={() =>
            read.mutate(undefined, {
              onSuccess: ({ textures, swatches, lights }) =>
                tell(
                  `${counted(textures, 'texture')} and ${swatches} ${swatches === 1 ? 'swatch' : 'swatches'} are in the project. ` +
                    `${counted(lights, 'light')} of the rig ${lights === 1 ? 'has' : 'have'} the colours of the scene.`,
                ),
            })
          }
        >
          Import into the project
        </Button>
      </div>
      {read.error && <p role="alert">{read.error.message}</p>}
      {found.lights.length > 0 && <LitAs scene={scene} />}
    </div>
  );
}

/** The render that shows the scene as it was lit, by which its lights are judged. */
function LitAs({ scene }: { scene: OldScene }) {
  const renders = useRenders().data;
  const judge = useChange((slug, render: number | null) =>
    body(api.PATCH('/api/v1/projects/{slug}/old-scenes/{id}', { params: { path: { slug, id: scene.id } }, body: { render } })),
  );
  if (!renders?.length) return null;
  return (
    <Select
      label="Render of this scene"
      description="As it was lit then: only a render tells whether lights were raised."
      placeholder="none"
      data={renders.map(({ id, name }) => ({ value: String(id), label: name }))}
      value={scene.render === null ? null : String(scene.render)}
      onChange={(id) => judge.mutate(id === null ? null : Number(id))}
      disabled={isBusy(scene.job) || judge.isPending}
      error={judge.error?.message}
      clearable
    />
  );
}

/** The habits of a scene with what shows them. */
export function Habits({ habits }: { habits: Habit[] }) {
  if (habits.length === 0) return <p className="small">Nothing is found that speaks of another colour setup.</p>;
  return (
    <Fold title={`Habits found: ${habits.length}`} guide="guide/migrate#habits">
      {habits.map((habit) => (
        <article key={habit.code} className="card block" aria-label={habit.title}>
          <div className="row spread">
            <h3>{habit.title}</h3>
            {habit.is_hint && <span className="quiet small">a hint</span>}
          </div>
          <p className="small">{habit.why}</p>
          <ul className="small quiet" style={{ margin: 0, paddingLeft: 16 }}>
            {habit.seen.slice(0, MOST_SHOWN).map(({ of, says }) => (
              <li key={`${of} ${says}`} title={of}>
                {says}
              </li>
            ))}
            {habit.seen.length > MOST_SHOWN && <li>and {habit.seen.length - MOST_SHOWN} more</li>}
          </ul>
        </article>
      ))}
    </Fold>
  );
}
