import { SegmentedControl } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';

import { api, body } from '../api/client';
import { type Render, useProject, useSlug, type ViewChoice } from '../api/hooks';
import { figure, stops } from '../shared/colour';
import { LevelMark } from '../shared/marks';
import classes from './Compare.module.css';

export interface Point {
  x: number;
  y: number;
}

const SAMPLES = [1, 5, 15];

/** What stands under the pointer: light, stops, and what each pane makes of it. */
export function ProbeTable({
  render,
  point,
  held,
  sample,
  onSample,
  exposure,
  panes,
}: {
  render: Render;
  point: Point | undefined;
  held: boolean;
  sample: number;
  onSample: (sample: number) => void;
  exposure: number;
  panes: ViewChoice[];
}) {
  const slug = useSlug();
  const project = useProject();
  const [steady] = useDebouncedValue(point, 40);
  const probe = useQuery({
    queryKey: [slug, 'probe', render.id, render.version, steady, sample, exposure, panes],
    queryFn: () =>
      body(
        api.GET('/api/projects/{slug}/renders/{id}/probe', {
          params: { path: { slug, id: render.id }, query: { x: steady?.x ?? 0, y: steady?.y ?? 0, sample, exposure } },
        }),
      ),
    enabled: steady !== undefined,
    placeholderData: keepPreviousData,
  });
  const data = probe.data;
  return (
    <div className="block">
      <div className="row spread">
        <h2>
          Probe{' '}
          {point && (
            <span className="mono small quiet">
              {point.x}, {point.y} {held ? 'held' : ''}
            </span>
          )}
        </h2>
        <SegmentedControl
          aria-label="Sample size"
          value={String(sample)}
          onChange={(value) => onSample(Number(value))}
          data={SAMPLES.map((side) => ({ value: String(side), label: side === 1 ? '1 px' : `${side}×${side}` }))}
        />
      </div>
      {!data && <p className="quiet">Point at a picture. A click holds the probe where it is.</p>}
      {probe.error && <p role="alert">{probe.error.message}</p>}
      {data && (
        <table className={classes.probe} aria-label="Probe">
          <tbody>
            <Row name={`light, ${project.data?.setup.working_space}`} values={data.light.map((value) => figure(value))} />
            <Row name="stops from grey" values={data.stops.map((value) => stops(value))} />
            {data.views.map((view, index) => (
              <Row
                key={index}
                name={`${index + 1} through the view`}
                values={view.values.map((value) => figure(value))}
                marked={view.clipped}
              />
            ))}
            {data.views.map((view, index) => (
              <Row key={index} name={`${index + 1} as 8-bit`} values={view.code_values.map(String)} />
            ))}
          </tbody>
        </table>
      )}
      {data?.views.some((view) => view.clipped.some(Boolean)) && (
        <p className="row small">
          <LevelMark level="caution" /> marked channels are cut when written as 8-bit
        </p>
      )}
    </div>
  );
}

function Row({ name, values, marked }: { name: string; values: string[]; marked?: boolean[] }) {
  return (
    <tr>
      <th scope="row">{name}</th>
      {values.map((value, index) => (
        <td key={index}>
          {marked?.[index] && <LevelMark level="caution" />} {value}
        </td>
      ))}
    </tr>
  );
}
