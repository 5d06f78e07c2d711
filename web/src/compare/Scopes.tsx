import { Button, Select } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';

import { api, body } from '../api/client';
import { type Render, useProject, useSlug } from '../api/hooks';
import { type Diagram, GamutPlot, HistogramPlot } from '../shared/plots';
import { Segments } from '../shared/Segments';
import { usePicture } from '../shared/usePicture';
import { useRemembered } from '../shared/remembered';
import classes from './Compare.module.css';
import type { Grade, Shot } from './drawer';
import { configQuery, type Shown } from './shown';

const KINDS = {
  waveform: 'Waveform',
  parade: 'Parade',
  vectorscope: 'Vectorscope',
  histogram: 'Histogram in stops',
  xy: 'Chromaticities, xy',
  uv: 'Chromaticities, u′v′',
};
type Kind = keyof typeof KINDS;

interface Props {
  shown: Shown;
  window: Shot['window'];
  region: Shot['window'] | undefined;
  grade: Grade;
  onWhole: () => void;
}

/** A scope of a region, or else of the part of the picture that is looked at, before the view or after that of the first
 * pane. */
export function Scopes({ shown, window, region, grade, onWhole }: Props) {
  const [kind, setKind] = useRemembered<Kind>('scope', 'waveform');
  const [light, setLight] = useRemembered('scope of light', false);
  const part = region ?? window;
  const numbers = { exposure: shown.exposure, x: part.x, y: part.y, width: part.width, height: part.height };
  const [steady] = useDebouncedValue(
    JSON.stringify({
      ...Object.fromEntries(Object.entries(numbers).map(([name, value]) => [name, Number(value.toFixed(4))])),
      ...configQuery(shown),
      layer: shown.layer,
    }),
    80,
  );
  const isPicture = kind === 'waveform' || kind === 'parade' || kind === 'vectorscope';
  if (typeof shown.render === 'string') return null;
  const { render } = shown;
  return (
    <div className="block">
      <div className="row spread">
        <Select
          aria-label="Scope"
          w={170}
          data={Object.entries(KINDS).map(([value, label]) => ({ value, label }))}
          value={kind}
          onChange={(value) => value && setKind(value as Kind)}
        />
        {isPicture && (
          <Segments
            aria-label="Before or after the view"
            value={light ? 'light' : 'view'}
            onChange={(value) => setLight(value === 'light')}
            data={[
              { value: 'light', label: 'Light' },
              { value: 'view', label: 'View' },
            ]}
          />
        )}
      </div>
      {isPicture ? (
        <ScopePicture {...{ render, shown, kind, light, steady, grade }} />
      ) : (
        <LightScope {...{ render, kind, steady }} />
      )}
      <p className="row spread quiet small">
        {region ? 'Of the part that is marked' : 'Of what is looked at; Shift and drag marks a part'}
        {region && (
          <Button size="compact-xs" onClick={onWhole}>
            All that is looked at
          </Button>
        )}
      </p>
    </div>
  );
}

function ScopePicture({
  render,
  shown,
  kind,
  light,
  steady,
  grade,
}: {
  render: Render;
  shown: Shown;
  kind: Kind;
  light: boolean;
  steady: string;
  grade: Grade;
}) {
  const slug = useSlug();
  const project = useProject();
  const [steadyGrade] = useDebouncedValue(grade, 80);
  const region = JSON.parse(steady) as Record<string, number | string>;
  const numbers = Object.fromEntries(Object.entries(region).map(([name, value]) => [name, String(value)]));
  const picture = usePicture(
    `/api/v1/projects/${slug}/renders/${render.id}/scope?` +
      new URLSearchParams({
        ...shown.choice,
        ...numbers,
        kind,
        light: String(light),
        grade: steadyGrade.place,
        slope: steadyGrade.slope.join(),
        offset: steadyGrade.offset.join(),
        power: steadyGrade.power.join(),
        saturation: String(steadyGrade.saturation),
        grade_exposure: String(steadyGrade.exposure),
        log: String(steadyGrade.log),
        curve: steadyGrade.curve.join(),
        v: `${render.image}-${render.space}-${project.data?.revision.number}`,
      }),
  );
  return (
    <div className={classes.scope}>
      {picture.shown && <img src={picture.shown} alt={`${KINDS[kind]}, ${light ? 'light in stops' : 'code values'}`} />}
      {picture.state === 'failed' && <p role="alert">This scope could not be drawn.</p>}
      <p className="quiet small">
        {light ? 'Light from −8 to +8 stops around middle grey' : `Code values, 0–1, through ${shown.choice.view}`}
      </p>
    </div>
  );
}

function LightScope({ render, kind, steady }: { render: Render; kind: Kind; steady: string }) {
  const slug = useSlug();
  const project = useProject();
  const found = useQuery({
    queryKey: [slug, 'light-scope', render.id, render.version, project.data?.revision.number, steady],
    queryFn: () =>
      body(
        api.GET('/api/v1/projects/{slug}/renders/{id}/light-scope', {
          params: { path: { slug, id: render.id }, query: JSON.parse(steady) as Record<string, never> },
        }),
      ),
    placeholderData: keepPreviousData,
  });
  const working = useQuery({
    queryKey: [slug, 'working-space', project.data?.revision.number],
    queryFn: () =>
      body(api.GET('/api/v1/projects/{slug}/working-space', { params: { path: { slug } } })),
    retry: false,
  });
  if (found.error) return <p role="alert">{found.error.message}</p>;
  if (!found.data) return null;
  if (kind === 'histogram') return <HistogramPlot histogram={found.data.histogram} />;
  const display = working.data?.displays.find((row) => row.display === project.data?.setup.view.display);
  const gamuts = [
    ...(working.data ? [{ name: working.data.name, primaries: working.data.primaries }] : []),
    ...(display ? [{ name: display.display, primaries: display.primaries }] : []),
  ];
  return <GamutPlot kind={kind as Diagram} gamuts={gamuts} colours={found.data.chromaticities} />;
}
