import { scaleLinear, scaleLog, scaleSqrt } from 'd3-scale';
import { line as lineOf } from 'd3-shape';
import type { ReactNode } from 'react';

import type { Schemas } from '../api/client';
import { useDiagram } from '../api/hooks';
import { GuideMark } from '../guide/GuideMark';
import classes from './plots.module.css';

type Primaries = Schemas['Primaries'];
export type Diagram = 'xy' | 'uv';

/** Lines are told apart by their dashes: colour is kept for what is judged. */
export const DASHES = ['', '6 3', '2 3', '8 3 2 3'];

const SIZE = 284;
const RANGES: Record<Diagram, { width: number; height: number; axes: [string, string] }> = {
  xy: { width: 0.85, height: 0.95, axes: ['x', 'y'] },
  uv: { width: 0.65, height: 0.65, axes: ['u′', 'v′'] },
};

/** Gamuts on the CIE 1931 or 1976 diagram, over the spectral locus and Pointer's gamut of surface colours. */
export function GamutPlot({
  gamuts,
  kind,
  colours = [],
}: {
  gamuts: { name: string; primaries: Primaries }[];
  kind: Diagram;
  /** Colours to show as points. */
  colours?: Schemas['Point'][];
}) {
  const diagram = useDiagram();
  const range = RANGES[kind];
  const scale = SIZE / Math.max(range.width, range.height);
  const height = range.height * scale;
  const margin = 0.06; // imaginary primaries lie below and left of the axes
  const x = scaleLinear([-margin, range.width], [0, SIZE]);
  const y = scaleLinear([-margin, range.height], [height, 0]);
  const place = ({ [kind]: [across = 0, up = 0] }: Schemas['Point']) => `${x(across)},${y(up)}`;
  const points = (listed: Schemas['Point'][]) => listed.map(place).join(' ');
  const label = gamuts.map(({ name }) => name).join(', ');
  return (
    <Explained guide="guide/scene#working-space" about="gamut plots">
    <figure style={{ margin: 0 }}>
      <svg viewBox={`0 0 ${SIZE} ${height}`} className={classes.plot} role="img" aria-label={`Gamut of ${label}`}>
        {diagram.data && (
          <>
            <polygon points={points(diagram.data.locus)} className={classes.ground} />
            <polygon points={points(diagram.data.pointer)} className={classes.pointer} />
          </>
        )}
        <path d={colours.map((colour) => `M${place(colour)}h0`).join('')} className={classes.colours} />
        {gamuts.map(({ name, primaries }, index) => (
          <g key={name}>
            <polygon
              points={points([primaries.red, primaries.green, primaries.blue])}
              className={classes.line}
              strokeDasharray={DASHES[index % DASHES.length]}
            />
            <Dot at={place(primaries.white)} />
          </g>
        ))}
        <text x={SIZE - 18} y={height - 6}>
          {range.axes[0]}
        </text>
        <text x={5} y={13}>
          {range.axes[1]}
        </text>
      </svg>
      <figcaption className={`${classes.legend} small quiet`}>
        {gamuts.map(({ name }, index) => (
          <span key={name} className="row">
            <Dash index={index} /> {name}
          </span>
        ))}
      </figcaption>
    </figure>
    </Explained>
  );
}

/** A plot with the way to what the guide says of it. */
export function Explained({ guide, about, children }: { guide: string; about: string; children: ReactNode }) {
  return (
    <div className={classes.explained}>
      {children}
      <span className={classes.guide}>
        <GuideMark to={guide} about={about} />
      </span>
    </div>
  );
}

function Dot({ at }: { at: string }) {
  const [x, y] = at.split(',');
  return <circle cx={x} cy={y} r="2.5" fill="var(--chosen)" />;
}

export function Dash({ index }: { index: number }) {
  return (
    <svg width="24" height="6" aria-hidden="true">
      <line x1="0" x2="24" y1="3" y2="3" className={classes.line} strokeDasharray={DASHES[index % DASHES.length]} />
    </svg>
  );
}

const PLOT_HEIGHT = 150;
const MIDDLE_GREY = 0.18;
const STOPS_SHOWN = [-8, 10].map((stops) => MIDDLE_GREY * 2 ** stops);
const CODES = scaleLinear([0, 1], [0, SIZE]);

/** Neutral code values against the light they stand for: in stops from middle grey where the curve is a logarithm. */
export function CurvePlot({ curve, logarithmic }: { curve: (number | null)[][]; logarithmic: boolean }) {
  const up = logarithmic ? scaleLog(STOPS_SHOWN, [PLOT_HEIGHT, 8]) : scaleLinear([0, 1], [PLOT_HEIGHT, 8]).clamp(true);
  const line = lineOf<(number | null)[]>()
    .defined(([, light]) => typeof light === 'number')
    .x(([code]) => CODES(code ?? 0))
    .y(([, light]) => up(logarithmic ? Math.max(light ?? 0, 1e-9) : (light ?? 0)));
  return (
    <Explained guide="guide/config#understand" about="transfer curves">
    <svg
      viewBox={`0 0 ${SIZE} ${PLOT_HEIGHT}`}
      className={classes.plot}
      role="img"
      aria-label="Transfer curve: code value against light"
    >
      {[0.25, 0.5, 0.75].map((part) => (
        <g key={part} className={classes.grid}>
          <line x1={part * SIZE} x2={part * SIZE} y1="0" y2={PLOT_HEIGHT} />
          <line x1="0" x2={SIZE} y1={part * PLOT_HEIGHT} y2={part * PLOT_HEIGHT} />
        </g>
      ))}
      <path d={line(curve) ?? ''} className={classes.line} />
      <text x="5" y="13">
        {logarithmic ? 'light, −8 to +10 stops' : 'light, 0–1'}
      </text>
      <text x={SIZE - 5} y={PLOT_HEIGHT - 6} textAnchor="end">
        code value, 0–1
      </text>
    </svg>
    </Explained>
  );
}

const CHANNELS = ['#ff8a80', '#8fd694', '#8ab4f8', '#b3b3b3'];

/** How often which numbers occur, a line for each channel: red, green, blue and alpha, or one grey. */
export function HistogramPlot({ histogram }: { histogram: Schemas['Histogram'] }) {
  const { channels, in_stops: inStops, lowest, highest } = histogram;
  const most = Math.max(...channels.flat(), 1e-9);
  const up = scaleSqrt([0, most], [PLOT_HEIGHT, 18]);
  const line = lineOf<number>()
    .x((_, bin) => CODES(bin / ((channels[0]?.length ?? 2) - 1)))
    .y((share) => up(share));
  return (
    <Explained guide="guide/textures#one-file" about="histograms">
    <svg viewBox={`0 0 ${SIZE} ${PLOT_HEIGHT}`} className={classes.plot} role="img" aria-label="Histogram">
      {[0.25, 0.5, 0.75].map((part) => (
        <line key={part} x1={part * SIZE} x2={part * SIZE} y1="0" y2={PLOT_HEIGHT} className={classes.grid} />
      ))}
      {channels.map((shares, channel) => (
        <path
          key={channel}
          d={line(shares) ?? ''}
          className={classes.line}
          style={channels.length >= 3 ? { stroke: CHANNELS[channel] } : undefined}
        />
      ))}
      <text x="4" y="12">
        {inStops ? `${lowest} stops` : lowest}
      </text>
      <text x={SIZE / 2} y="12" textAnchor="middle">
        {inStops ? 'middle grey' : '0.5'}
      </text>
      <text x={SIZE - 4} y="12" textAnchor="end">
        {inStops ? `+${highest} stops` : highest}
      </text>
    </svg>
    </Explained>
  );
}
