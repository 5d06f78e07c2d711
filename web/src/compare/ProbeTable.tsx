import { Button, SegmentedControl, Select } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { useProject, useSlug } from '../api/hooks';
import { figure, figures, stops } from '../shared/colour';
import { LevelMark } from '../shared/marks';
import { PlaceFields } from '../shared/probing';
import { Copyable } from '../shared/Copyable';
import { fixed } from '../shared/numbers';
import classes from './Compare.module.css';
import type { Point } from './Frame';
import { type PaneState, type Shown, viewName } from './shown';

type Followed = Schemas['Probe'];

const SAMPLES = [1, 5, 15];
export const BITS = [8, 10, 12, 16];

/** What all probes depend on. */
export interface ProbesAsked {
  panes: PaneState[];
  render: number;
  exposure: number;
  sample: number;
  revision?: number | undefined;
}

/** Places followed through every pane, in the order of the places. */
export function useProbes(places: Point[], asked: ProbesAsked) {
  const slug = useSlug();
  const project = useProject();
  const [steady] = useDebouncedValue(JSON.stringify({ places: places.map(({ x, y }) => [x, y]), ...asked }), 40);
  return useQuery({
    queryKey: [slug, 'probes', project.data?.revision.number, steady],
    queryFn: () =>
      body(api.POST('/api/v1/projects/{slug}/probes', { params: { path: { slug } }, body: JSON.parse(steady) as never })),
    enabled: places.length > 0,
    placeholderData: keepPreviousData,
  });
}

/** What stands under the pointer, or at the last probe held: light, and what each pane makes of it. */
export function ProbeTable({
  point,
  size,
  held,
  asked,
  onPoint,
  onSample,
  onClear,
}: {
  point: Point | undefined;
  /** Pixels of the picture. */
  size: { width: number; height: number };
  held: Point[];
  asked: ProbesAsked;
  onPoint: (point: Point) => void;
  onSample: (sample: number) => void;
  onClear: () => void;
}) {
  const project = useProject();
  const [bits, setBits] = useState('0');
  const probes = useProbes(point ? [point] : [], asked);
  const followed = probes.data?.[0]?.panes;
  const first = followed?.[0];
  return (
    <div className="block">
      <div className="row spread">
        <PlaceFields
          at={point && { x: pixelIn(point.x, size.width), y: pixelIn(point.y, size.height) }}
          size={size}
          onMove={({ x, y }) => onPoint({ x: (x + 0.5) / size.width, y: (y + 0.5) / size.height })}
        />
        <SegmentedControl
          aria-label="Sample size"
          value={String(asked.sample)}
          onChange={(value) => onSample(Number(value))}
          data={SAMPLES.map((side) => ({ value: String(side), label: side === 1 ? '1 px' : `${side}×${side}` }))}
        />
      </div>
      {!first && <p className="quiet">Point at a picture; a click holds a probe there. Or focus it: arrow keys move, Enter holds.</p>}
      {probes.error && <p role="alert">{probes.error.message}</p>}
      {first && (
        <table className={classes.probe} aria-label="Probe">
          <tbody>
            <Row copies name={asked.panes[0]?.working || project.data?.setup.working_space || 'light'} values={first.light.map((value) => figure(value))} />
            <Row name="stops" values={first.stops.map((value) => stops(value))} />
            {followed.map((pane, index) => (
              <Row
                key={index}
                copies
                name={`${index + 1} view`}
                values={pane.values.map((value) => figure(value))}
                marked={pane.clipped}
              />
            ))}
            {followed.map((pane, index) => (
              <Row
                key={index}
                name={`${index + 1} ${BITS[Number(bits)]}-bit`}
                values={(pane.code_values[Number(bits)] ?? []).map(String)}
              />
            ))}
            {followed.map((pane, index) => (
              <tr key={index}>
                <th scope="row">{index + 1} display</th>
                <td colSpan={3}>{displayWords(pane)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {first && (
        <div className="row spread">
          <Select
            aria-label="Bits of code values"
            w={90}
            data={BITS.map((count, index) => ({ value: String(index), label: `${count}-bit` }))}
            value={bits}
            onChange={(value) => value && setBits(value)}
          />
          {held.length > 0 && (
            <Button size="compact-xs" onClick={onClear}>
              Remove {held.length === 1 ? 'the probe' : `all ${held.length} probes`}
            </Button>
          )}
        </div>
      )}
      {followed?.some((pane) => pane.clipped.some(Boolean)) && (
        <p className="row small">
          <LevelMark level="caution" /> marked channels are cut when written as integers
        </p>
      )}
    </div>
  );
}

const pixelIn = (share: number, pixels: number) => Math.min(pixels - 1, Math.floor(share * pixels));
const pixelOf = (point: Point, { width, height }: { width: number; height: number }) =>
  `${pixelIn(point.x, width)}, ${pixelIn(point.y, height)}`;

function displayWords({ nits, xy, in_gamut: inGamut }: Followed): string {
  if (nits === null) return 'numbers, no light';
  const colour = xy ? `xy ${xy.map((value) => fixed(value, 4)).join(' ')}` : 'black';
  return `${figure(nits)} nits · ${colour}${inGamut === false ? ' · light outside its gamut' : ''}`;
}

function Row({
  name,
  values,
  marked,
  copies = false,
}: {
  name: string;
  values: string[];
  marked?: boolean[];
  copies?: boolean;
}) {
  return (
    <tr>
      <th scope="row">{copies ? <Copyable value={name} of={name} copied={values.join(' ')} /> : name}</th>
      {values.map((value, index) => (
        <td key={index}>
          {marked?.[index] && <LevelMark level="caution" />} {value}
        </td>
      ))}
    </tr>
  );
}

/** All probes held, each followed through every step of every pane. */
export function ProbeList({
  held,
  size,
  shown,
  asked,
  onRemove,
}: {
  held: Point[];
  size: { width: number; height: number };
  shown: Shown[];
  asked: ProbesAsked;
  onRemove: (index: number) => void;
}) {
  const probes = useProbes(held, asked);
  if (held.length === 0) return <p className="quiet">Click on a picture to hold a probe there; up to twelve stay.</p>;
  if (probes.error) return <p role="alert">{probes.error.message}</p>;
  return (
    <table className="list" aria-label="Probes held">
      <thead>
        <tr>
          <th>Probe</th>
          <th>Pane</th>
          <th>Light</th>
          <th>Stops</th>
          <th>After look</th>
          <th>After view</th>
          {BITS.map((bits) => (
            <th key={bits}>{bits}-bit</th>
          ))}
          <th>Nits</th>
          <th>xy</th>
          <th>In gamut</th>
          <th />
        </tr>
      </thead>
      <tbody className="mono small">
        {held.flatMap((point, place) =>
          (probes.data?.[place]?.panes ?? []).map((pane, index) => (
            <tr key={`${place} ${index}`}>
              <td>{index === 0 && `${place + 1}: ${pixelOf(point, size)}`}</td>
              <td title={shown[index] && viewName(shown[index].choice)}>{index + 1}</td>
              <td>{figures(pane.light)}</td>
              <td>{pane.stops.map((value) => stops(value)).join(' ')}</td>
              <td>{figures(pane.looked)}</td>
              <td>
                <span className="row" style={{ gap: 4 }}>
                  {pane.clipped.some(Boolean) && <LevelMark level="caution" />}
                  {figures(pane.values)}
                </span>
              </td>
              {pane.code_values.map((codes, bits) => (
                <td key={bits}>{codes.join(' ')}</td>
              ))}
              <td>{pane.nits === null ? '–' : figure(pane.nits)}</td>
              <td>{pane.xy?.map((value) => fixed(value, 4)).join(' ') ?? '–'}</td>
              <td>{pane.in_gamut === null ? '–' : pane.in_gamut ? 'yes' : 'no'}</td>
              <td>
                {index === 0 && (
                  <Button size="compact-xs" variant="subtle" aria-label={`Remove probe ${place + 1}`} onClick={() => onRemove(place)}>
                    ×
                  </Button>
                )}
              </td>
            </tr>
          )),
        )}
      </tbody>
    </table>
  );
}
