import { Button } from '@mantine/core';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { type Render, useChange, useDeliverables, useProject, useRecipes, useSlug } from '../api/hooks';
import { counted, LevelMark } from '../shared/marks';
import { costOf, Losses } from './Expected';
import { useFrameRange } from './FramesField';
import { useChosenRender } from './useChosenRender';
import { useKeep } from '../shared/remembered';
import { Loaded } from '../shared/states';

type Recipe = Schemas['Recipe'];

const MARKS = { failed: 'blocker', older: 'caution' } as const;

/** Deliverables that are made again with one click, each with how its newest file stands to the project. */
export function Recipes({ renders, onChosen }: { renders: Render[]; onChosen: (output: number) => void }) {
  const recipes = useRecipes();
  return (
    <Loaded of={recipes}>
      {(listed) => (listed.length === 0 ? null : <List recipes={listed} renders={renders} onChosen={onChosen} />)}
    </Loaded>
  );
}

function List({ recipes, renders, onChosen }: { recipes: Recipe[]; renders: Render[]; onChosen: (output: number) => void }) {
  const kinds = useDeliverables();
  const based_on = useProject().data?.revision.number ?? 0;
  const slug = useSlug();
  const [frames] = useFrameRange();
  const { used } = useChosenRender(renders);
  const make = useChange((slug, names: string[]) =>
    body(
      api.POST('/api/v1/projects/{slug}/recipes/make', {
        params: { path: { slug } },
        body: { names, render: used?.id ?? null, frames: used?.sequence ? frames : '' },
      }),
    ),
  );
  const remove = useChange((slug, name: string) =>
    body(api.POST('/api/v1/projects/{slug}/recipes/remove', { params: { path: { slug } }, body: { name, based_on } })),
  );
  const edit = useEditing();
  const foreseen = useQuery({
    queryKey: [slug, 'expected of recipes', used?.id, frames, based_on, recipes],
    queryFn: () =>
      body(
        api.POST('/api/v1/projects/{slug}/recipes/foreseen', {
          params: { path: { slug } },
          body: { render: used?.id ?? null, frames: used?.sequence ? frames : '' },
        }),
      ),
    placeholderData: keepPreviousData,
  });
  const expectedOf = (name: string) => foreseen.data?.find((each) => each.name === name);
  return (
    <section className="block" aria-label="Recipes">
      <div className="row spread">
        <h2>
          Recipes <span className="quiet small">{used ? `of ${used.name}` : ''}</span>
        </h2>
        <Button size="xs" loading={make.isPending} onClick={() => make.mutate([])}>
          Make all
        </Button>
      </div>
      <table className="list" aria-label="Recipes">
        <tbody>
          {recipes.map((recipe) => (
            <tr key={recipe.name}>
              <td>
                {recipe.output ? (
                  <button className="bare" onClick={() => onChosen(recipe.output ?? 0)}>
                    {recipe.name}
                  </button>
                ) : (
                  recipe.name
                )}
                <ExpectedOfRecipe found={expectedOf(recipe.name)} />
              </td>
              <td className="quiet">{kinds.data?.find(({ kind }) => kind === recipe.kind)?.label ?? recipe.kind}</td>
              <td>
                <span className="row small" style={{ whiteSpace: 'nowrap' }}>
                  {recipe.state in MARKS && <LevelMark level={MARKS[recipe.state as keyof typeof MARKS]} />}
                  {recipe.state === 'older' ? `from revision ${recipe.revision}` : recipe.state}
                </span>
              </td>
              <td>
                <span className="row" style={{ justifyContent: 'flex-end' }}>
                  <Button size="compact-xs" aria-label={`Make ${recipe.name}`} onClick={() => make.mutate([recipe.name])}>
                    Make
                  </Button>
                  <Button size="compact-xs" variant="subtle" aria-label={`Edit ${recipe.name}`} onClick={() => edit(recipe)}>
                    Edit
                  </Button>
                  <Button
                    size="compact-xs"
                    variant="subtle"
                    aria-label={`Remove ${recipe.name}`}
                    onClick={() => remove.mutate(recipe.name)}
                  >
                    Remove
                  </Button>
                </span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** What it will cost and lose, or why it cannot be made of this render. */
function ExpectedOfRecipe({ found }: { found: Schemas['RecipeExpected'] | undefined }) {
  const [open, setOpen] = useState(false);
  if (!found) return null;
  const { expected, refused } = found;
  if (!expected) return <p className="quiet small">{refused}</p>;
  const count = expected.losses.length;
  return (
    <>
      <p className="quiet small">
        {costOf(expected)}
        {count > 0 && (
          <>
            {' · '}
            <button
              type="button"
              className="bare term"
              aria-expanded={open}
              aria-label={`What ${found.name} loses`}
              onClick={() => setOpen(!open)}
            >
              loses {counted(count, 'thing')}
            </button>
          </>
        )}
      </p>
      {open && <Losses of={expected} />}
    </>
  );
}

/** Put a recipe into the form. */
function useEditing() {
  const keep = useKeep();
  return ({ name, kind, naming, values }: Recipe) =>
    keep({
      'new output kind': kind,
      [`new output: ${kind}`]: values,
      'name of the new recipe': name,
      'edited recipe': name,
      'naming of the new recipe': naming,
      'open: Keep as a recipe': true,
    });
}
