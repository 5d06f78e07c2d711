import { useQueries } from '@tanstack/react-query';
import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';

import { api, body, type Schemas } from '../api/client';
import { useProject, useSlug } from '../api/hooks';
import { stops } from '../shared/colour';
import { LevelMark } from '../shared/marks';
import { Dash, DASHES, Explained } from '../shared/plots';
import plots from '../shared/plots.module.css';
import { fixed } from '../shared/numbers';
import classes from './Compare.module.css';
import { configQuery, type Shown, viewName } from './shown';

type Tone = Schemas['Tone'];

const WIDTH = 620;
const HEIGHT = 260;
const SHOWN = { lowest: -10, highest: 10, darkest: -10, brightest: 4 };

/** The tone of a view. */
const toneOf = (slug: string, revision: number | undefined, shown: Shown) => ({
  queryKey: [slug, 'tone', revision, shown.choice, configQuery(shown)],
  queryFn: () =>
    body(
      api.GET('/api/v1/projects/{slug}/tone', {
        params: { path: { slug }, query: { ...shown.choice, ...configQuery(shown) } },
      }),
    ),
  staleTime: Infinity,
  retry: false,
});

/** Where each pane's view puts light: its tone curve in stops, what it does to grey and to hues. */
export function LightPlaces({ panes }: { panes: Shown[] }) {
  const slug = useSlug();
  const project = useProject();
  const revision = project.data?.revision.number;
  const tones = useQueries({ queries: panes.map((shown) => toneOf(slug, revision, shown)) });
  const name = ({ choice, working, draft }: Shown) =>
    `${draft ? 'The design' : viewName(choice)}${working ? `, working in ${working}` : ''}`;
  const number = (value: number | null | undefined, digits = 1) =>
    value === null || value === undefined ? 'beyond' : stops(value, digits);
  return (
    <div className={classes.places} data-caption="Tone and hue response">
      <div className={classes.plotPair}>
        <Explained guide="guide/compare#which-view-for-which-picture" about="tone curves">
          <TonePlot curves={tones.map(({ data }) => data)} />
        </Explained>
        <Explained guide="guide/compare#which-view-for-which-picture" about="the path to white">
          <SaturationPlot curves={tones.map(({ data }) => data)} />
        </Explained>
      </div>
      <table className="list" aria-label="Tone and hue response">
        <thead>
          <tr>
            <th />
            <th>View</th>
            <th>Grey shown at</th>
            <th>Slope there</th>
            <th>Black at</th>
            <th>White at</th>
            <th>Range</th>
            <th>Largest hue shift</th>
            <th>Hues out of order</th>
          </tr>
        </thead>
        <tbody className="small">
          {panes.map((shown, index) => {
            const tone = tones[index]?.data;
            const error = tones[index]?.error;
            return (
              <tr key={index}>
                <td>
                  <Dash index={index} />
                </td>
                <td>
                  {index + 1} {name(shown)}
                </td>
                {!tone || tone.refused ? (
                  <td colSpan={7} className="quiet">
                    {tone?.refused ?? error?.message ?? 'computing …'}
                  </td>
                ) : (
                  <>
                    <td className="mono">{tone.grey?.toFixed(3)}</td>
                    <td className="mono">{tone.slope === null ? '' : fixed(tone.slope, 2)}</td>
                    <td className="mono">{number(tone.black_at)}</td>
                    <td className="mono">{number(tone.white_at)}</td>
                    <td className="mono">
                      {tone.dynamic_range === null ? '–' : `${tone.dynamic_range.toFixed(1)} stops`}
                    </td>
                    <td className="mono">
                      {tone.largest_turn && (
                        <span className="row">
                          {Math.abs(tone.largest_turn.turn) > 20 && <LevelMark level="note" />}
                          {fixed(tone.largest_turn.turn, 0)}° at {number(tone.largest_turn.at)}
                        </span>
                      )}
                    </td>
                    <td className="mono" title="Of 1,944 neighbouring hues, how many have changed places">
                      {tone.out_of_order}
                    </td>
                  </>
                )}
              </tr>
            );
          })}
        </tbody>
      </table>
      <HueTable panes={panes} tones={tones.map(({ data }) => data)} name={name} />
      <div className={classes.sweeps}>
        {panes.map(
          (shown, index) =>
            tones[index]?.data?.refused === '' && (
              <figure key={index} style={{ margin: 0 }}>
                <img
                  src={`/api/v1/projects/${slug}/tone/sweep?${new URLSearchParams({ ...shown.choice, ...Object.fromEntries(Object.entries(configQuery(shown)).map(([key, value]) => [key, String(value)])), v: String(revision) })}`}
                  alt={`Hues on their way to white through ${name(shown)}`}
                />
                <figcaption className="small quiet">
                  {index + 1} {name(shown)}: hues of Rec.709, from −6 stops below to +8 on top
                </figcaption>
              </figure>
            ),
        )}
      </div>
    </div>
  );
}

/** How far each main hue turns on its way to white, and where it is white. */
function HueTable({
  panes,
  tones,
  name,
}: {
  panes: Shown[];
  tones: (Tone | undefined)[];
  name: (shown: Shown) => string;
}) {
  const first = tones.find((tone) => tone && tone.hues.length > 0);
  if (!first) return null;
  return (
    <table className="list" aria-label="Hue shifts">
      <thead>
        <tr>
          <th />
          <th>Hue shift in ICtCp, and white from</th>
          {first.hues.map((hue) => (
            <th key={hue.name}>{hue.name}</th>
          ))}
        </tr>
      </thead>
      <tbody className="small">
        {panes.map((shown, index) => (
          <tr key={index}>
            <td>
              <Dash index={index} />
            </td>
            <td>
              {index + 1} {name(shown)}
            </td>
            {tones[index]?.hues.map((hue) => (
              <td key={hue.name} className="mono">
                {stops(hue.turn, 0)}°, {hue.white_from === null ? 'never' : stops(hue.white_from)}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const SATURATION = { width: 300, most: 0.2 };

/** The mean saturation of all hues over exposure: the path to white. */
function SaturationPlot({ curves }: { curves: (Tone | undefined)[] }) {
  const { width } = SATURATION;
  const stopsShown = curves.find((curve) => curve && curve.swept.length > 0)?.swept ?? [];
  const [lowest = -6, highest = 8] = [stopsShown[0], stopsShown.at(-1)];
  const most = Math.max(SATURATION.most, ...curves.flatMap((curve) => curve?.saturation ?? []));
  const across = scaleLinear([lowest, highest], [0, width]);
  const up = scaleLinear([0, most], [HEIGHT, 24]);
  return (
    <svg
      viewBox={`0 0 ${width} ${HEIGHT}`}
      className={plots.plot}
      role="img"
      aria-label="Path to white: saturation in ICtCp over stops of scene light"
    >
      <StopsGrid marks={[-4, -2, 0, 2, 4, 6]} across={across} />
      <text x="5" y="13">
        saturation, mean of all hues
      </text>
      <Lines
        lines={curves.map((curve) =>
          curve?.saturation.map((value, at) => [across(curve.swept[at] ?? 0), up(value)]),
        )}
      />
    </svg>
  );
}

function StopsGrid({ marks, across }: { marks: number[]; across: (stop: number) => number }) {
  return marks.map((stop) => (
    <g key={stop} className={plots.grid}>
      <line x1={across(stop)} x2={across(stop)} y1="0" y2={HEIGHT} />
      <text x={across(stop) + 3} y={HEIGHT - 5}>
        {stop === 0 ? 'grey' : stops(stop, 0)}
      </text>
    </g>
  ));
}

/** A line for each pane, told apart by its dashes. */
function Lines({ lines }: { lines: ([number, number][] | undefined)[] }) {
  return lines.map(
    (points, index) =>
      points && (
        <path
          key={index}
          className={plots.line}
          strokeDasharray={DASHES[index % DASHES.length]}
          d={line()(points) ?? ''}
        />
      ),
  );
}

function TonePlot({ curves }: { curves: (Tone | undefined)[] }) {
  const { lowest, highest, darkest, brightest } = SHOWN;
  const across = scaleLinear([lowest, highest], [0, WIDTH]);
  const inStops = scaleLinear([darkest, brightest], [HEIGHT, 0]).clamp(true);
  const up = (light: number) => inStops(Math.log2(Math.max(light, 1e-9)));
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className={plots.plot}
      role="img"
      aria-label="Tone curves: stops of scene light against stops of display light"
    >
      <StopsGrid marks={[-8, -6, -4, -2, 0, 2, 4, 6, 8]} across={across} />
      {[-8, -6, -4, -2, 0, 2].map((stop) => (
        <g key={stop} className={plots.grid}>
          <line x1="0" x2={WIDTH} y1={up(2 ** stop)} y2={up(2 ** stop)} />
          <text x="4" y={up(2 ** stop) - 3}>
            {stop === 0 ? 'white' : stops(stop, 0)}
          </text>
        </g>
      ))}
      <Lines
        lines={curves.map((curve) =>
          curve?.stops
            .map((stop, at) => [stop, curve.light[at] ?? 0] as const)
            .filter(([stop]) => stop >= lowest && stop <= highest)
            .map(([stop, light]) => [across(stop), up(light)]),
        )}
      />
    </svg>
  );
}
