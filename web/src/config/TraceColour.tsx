import { SegmentedControl } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';

import { api, body } from '../api/client';
import { useProject, useSlug, type ViewChoice } from '../api/hooks';
import { css, figures } from '../shared/colour';
import { SpaceSelect } from '../shared/SpaceSelect';
import { Loaded } from '../shared/states';
import { type Typed, TypedColourFields } from '../shared/TypedColourFields';
import { ViewSelects } from '../shared/ViewSelects';
import { useRemembered } from '../shared/remembered';
import { Copyable } from '../shared/Copyable';

/** One colour after every step from any space to another, or through a view. */
export function TraceColour() {
  const slug = useSlug();
  const project = useProject();
  const setup = project.data?.setup;
  const [typed, setTyped] = useRemembered<Typed | undefined>('traced colour', undefined);
  const [through, setThrough] = useRemembered<'view' | 'space'>('traced through', 'view');
  const [view, setView] = useRemembered<ViewChoice | undefined>('traced view', undefined);
  const [space, setSpace] = useRemembered<string | undefined>('traced space', undefined);
  const tracer = project.data?.tracer;
  const colour = typed ?? (tracer && { space: tracer.space, unit: tracer.unit, text: tracer.text });
  const choice = view ?? (setup?.view as ViewChoice | undefined);
  const target = space ?? setup?.working_space;
  const query =
    colour && choice && target && { ...colour, ...(through === 'view' ? choice : { to: target }) };
  const [steady] = useDebouncedValue(query, 250);
  const rows = useQuery({
    queryKey: [slug, 'follow', project.data?.revision.number, steady],
    queryFn: () =>
      body(api.GET('/api/v1/projects/{slug}/follow', { params: { path: { slug }, query: steady as never } })),
    enabled: Boolean(steady),
    placeholderData: keepPreviousData,
    retry: false,
  });
  if (!colour || !choice || !target) return null;
  return (
    <>
      <div className="block" style={{ maxWidth: 460 }}>
        <TypedColourFields typed={colour} onChange={setTyped} error={rows.error?.message} />
      </div>
      <div className="row wrap" style={{ alignItems: 'flex-end' }}>
        <SegmentedControl
          aria-label="Follow it"
          value={through}
          onChange={(value) => setThrough(value as typeof through)}
          data={[
            { value: 'view', label: 'through a view' },
            { value: 'space', label: 'to a space' },
          ]}
        />
        {through === 'view' ? (
          <ViewSelects label="to follow it through" choice={choice} onChange={setView} labels={false} />
        ) : (
          <SpaceSelect aria-label="To the space" value={target} onChange={(name) => name && setSpace(name)} />
        )}
      </div>
      {!rows.error && (
        <Loaded of={rows}>
          {(steps) => (
            <table className="list" aria-label="Steps of the colour">
              <thead>
                <tr>
                  <th>Step</th>
                  <th>Red, green, blue after it</th>
                  <th />
                </tr>
              </thead>
              <tbody>
                {steps.map((step, index) => (
                  <tr key={index}>
                    <td>
                      <span className="mono quiet small">{index > 0 && index < steps.length - 1 ? index : ''}</span>{' '}
                      {step.text}
                    </td>
                    <td className="mono">
                      <Copyable value={figures(step.values)} of={`step ${index}`} />
                    </td>
                    <td>
                      <span className="disc" style={{ background: css(step.values), height: 24, width: 24 }} />
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
        </Loaded>
      )}
      <p className="quiet small">The discs are painted with the numbers as they stand at each step.</p>
    </>
  );
}
