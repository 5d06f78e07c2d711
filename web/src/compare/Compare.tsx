import { Button, Select, Slider } from '@mantine/core';
import { useElementSize, useHotkeys } from '@mantine/hooks';
import { useCallback, useMemo, useRef, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';

import { api, body, type Schemas } from '../api/client';
import { type Render, useChange, useComparison, useConfig, useRenders, useSlug, type ViewChoice } from '../api/hooks';
import { displayName, stops } from '../shared/colour';
import { Key } from '../shared/marks';
import { Segments } from '../shared/Segments';
import { Empty, Loaded } from '../shared/states';
import classes from './Compare.module.css';
import { type Grade, type Marks, NO_GRADE } from './drawer';
import { Frame, type FrameHandlers } from './Frame';
import { GradePanel } from './GradePanel';
import { LightPlaces } from './LightPlaces';
import { LivePicture } from './LivePicture';
import { MarkChoice } from './MarkChoice';
import { Pane } from './Pane';
import { ProbeTable, type Point } from './ProbeTable';
import { Scopes } from './Scopes';
import { SelfTest } from './SelfTest';
import { TwoInOne } from './TwoInOne';
import { useWindow } from './useWindow';

type Comparison = Schemas['Comparison'];

const REACH = 8;
const GAP = 10;
const PADDING = 24;
const CAPTION = 40;
const MOST_PANES = 9;

const MODES = { panes: 'Panes', wipe: 'Wipe', flip: 'Flip', difference: 'Difference', sheet: 'All views', light: 'Where the light goes' };
type Mode = keyof typeof MODES;

const SURROUNDS = { black: '#000000', grey: '#777777', white: '#ffffff' };
type Surround = keyof typeof SURROUNDS;

/** Renders through views, side by side and over each other, with a probe and scopes. */
export function Compare() {
  const comparison = useComparison();
  const renders = useRenders();
  const slug = useSlug();
  const navigate = useNavigate();
  return (
    <Loaded of={renders}>
      {(listed) =>
        listed.length === 0 ? (
          <Empty>
            <p>There is no render to look at yet.</p>
            <Button onClick={() => void navigate(`/p/${slug}/scene?part=renders`)}>Bring one in Scene</Button>
          </Empty>
        ) : (
          <Loaded of={comparison}>{(data) => <Table comparison={data} renders={listed} />}</Loaded>
        )
      }
    </Loaded>
  );
}

function Table({ comparison, renders }: { comparison: Comparison; renders: Render[] }) {
  const [search, setSearch] = useSearchParams();
  const wanted = Number(search.get('render')) || comparison.render;
  const render = renders.find((candidate) => candidate.id === wanted) ?? renders[0];
  const [exposure, setExposure] = useState(comparison.exposure);
  const [point, setPoint] = useState<Point>();
  const [held, setHeld] = useState(false);
  const [sample, setSample] = useState(1);
  const [mode, setMode] = useState<Mode>('panes');
  const [flipped, setFlipped] = useState(false);
  const [marks, setMarks] = useState<Marks>('picture');
  const [grade, setGrade] = useState(NO_GRADE);
  const [surround, setSurround] = useState<Surround>('grey');
  const { window, zoom, pan, magnify, whole } = useWindow();
  const { ref, width, height } = useElementSize();
  const panes = comparison.panes as ViewChoice[];

  // A change made while one is on its way is made on top of it: not refused as stale, and nothing of it lost.
  const latest = useRef(comparison);
  const queue = useRef<Promise<unknown>>(Promise.resolve());
  const save = useChange((slug, change: (before: Comparison) => Partial<Comparison>) => {
    const next = queue.current.then(async () => {
      if (comparison.version > latest.current.version) latest.current = comparison;
      const { version, ...before } = { ...latest.current, render: render?.id ?? null };
      const saved = await body(
        api.PUT('/api/projects/{slug}/comparison', {
          params: { path: { slug } },
          body: { ...before, ...change(latest.current), based_on: version },
        }),
      );
      latest.current = saved;
      return saved;
    });
    queue.current = next.catch(() => undefined);
    return next;
  });
  const savePanes = (change: (before: ViewChoice[]) => ViewChoice[]) =>
    save.mutate((before) => ({ panes: change(before.panes as ViewChoice[]) }));
  const expose = (next: number) => {
    const limited = Math.min(REACH, Math.max(-REACH, next));
    setExposure(limited);
    save.mutate(() => ({ exposure: limited }));
  };
  useHotkeys([
    ['[', () => expose(exposure - 0.5)],
    [']', () => expose(exposure + 0.5)],
    ['0', () => expose(0)],
    ['x', () => savePanes((before) => [...before].reverse())],
    ['v', () => setFlipped((before) => !before)],
    ['w', whole],
  ]);
  const onPoint = useCallback((next: Point) => !held && setPoint(next), [held]);
  const onHold = useCallback(() => setHeld((before) => !before), []);
  const handlers = useMemo<FrameHandlers>(
    () => ({ onPoint, onHold, onZoom: zoom, onPan: pan }),
    [onPoint, onHold, zoom, pan],
  );
  if (!render) return null;
  const isPair = mode === 'wipe' || mode === 'flip' || mode === 'difference';
  const shape = render.width / render.height;
  const size = pictureSize(width, height, shape, isPair ? 1 : panes.length);
  const [first = { display: '', view: '', look: '' }, second = first] = panes;

  return (
    <div className="columns two">
      <div className={classes.table}>
        <div className={classes.bar}>
          <Segments
            aria-label="How panes stand"
            value={mode}
            onChange={(value) => setMode(value as Mode)}
            data={Object.entries(MODES).map(([value, label]) => ({ value, label }))}
          />
          <span className="row">
            <Button size="compact-xs" onClick={whole}>
              Whole &nbsp;<Key>W</Key>
            </Button>
            <Button
              size="compact-xs"
              onClick={() => magnify(size.width / (render.width / globalThis.devicePixelRatio))}
              title="One pixel of the picture on one of the screen"
            >
              1 : 1
            </Button>
            <span className="mono small quiet" style={{ minWidth: 56 }}>
              {Math.round((size.width * globalThis.devicePixelRatio * 100) / (render.width * window.width))} %
            </span>
            <Segments
              aria-label="Surround"
              value={surround}
              onChange={(value) => setSurround(value as Surround)}
              data={[
                { value: 'black', label: 'Black' },
                { value: 'grey', label: 'Grey' },
                { value: 'white', label: 'White' },
              ]}
            />
          </span>
        </div>
        <div
          ref={ref}
          className={mode === 'sheet' ? classes.sheet : mode === 'light' ? classes.plots : classes.panes}
          style={{
            background: mode === 'light' ? undefined : SURROUNDS[surround],
            ...(mode === 'sheet' || mode === 'light' ? {} : { gridTemplateColumns: `repeat(${size.columns}, ${size.width}px)` }),
          }}
        >
          {width > 0 && mode === 'panes' &&
            panes.map((choice, index) => (
              <Pane
                key={index}
                number={index + 1}
                width={size.width}
                height={size.height}
                {...{ render, choice, exposure, window, marks, grade, point, handlers }}
                onChoose={(next) => savePanes((before) => before.map((kept, at) => (at === index ? next : kept)))}
                onRemove={
                  panes.length > 1 ? () => savePanes((before) => before.filter((_, at) => at !== index)) : undefined
                }
              />
            ))}
          {width > 0 && isPair && (
            <TwoInOne
              overlay={mode}
              panes={[first, second]}
              width={size.width}
              height={size.height}
              {...{ render, flipped, exposure, window, marks, grade, point, handlers }}
            />
          )}
          {mode === 'light' && <LightPlaces panes={panes} />}
          {width > 0 && mode === 'sheet' && (
            <ContactSheet {...{ render, exposure, window, marks, grade, point, handlers, width, shape }} />
          )}
        </div>
      </div>
      <section className="column" aria-label="Exposure and probe">
        <div className="block">
          <h2>Exposure, all panes</h2>
          <Slider
            aria-label="Exposure in stops"
            color="neutral"
            min={-REACH}
            max={REACH}
            step={0.1}
            value={exposure}
            label={null}
            onChange={setExposure}
            onChangeEnd={expose}
          />
          <div className="row spread mono small">
            <span className="quiet">−{REACH}</span>
            <strong>{stops(exposure)} stops</strong>
            <span className="quiet">+{REACH}</span>
          </div>
          <div className="row wrap">
            <Button size="compact-xs" onClick={() => expose(exposure - 0.5)} aria-label="Half a stop down">
              −½ &nbsp;<Key>[</Key>
            </Button>
            <Button size="compact-xs" onClick={() => expose(exposure + 0.5)} aria-label="Half a stop up">
              +½ &nbsp;<Key>]</Key>
            </Button>
            <Button size="compact-xs" onClick={() => expose(0)}>
              Zero &nbsp;<Key>0</Key>
            </Button>
            <Button size="compact-xs" onClick={() => savePanes((before) => [...before].reverse())}>
              Swap &nbsp;<Key>X</Key>
            </Button>
            {mode === 'flip' && (
              <Button size="compact-xs" onClick={() => setFlipped(!flipped)}>
                Flip &nbsp;<Key>V</Key>
              </Button>
            )}
            {mode === 'panes' && panes.length < MOST_PANES && (
              <Button size="compact-xs" onClick={() => savePanes((before) => [...before, before.at(-1) ?? first])}>
                Add a pane
              </Button>
            )}
          </div>
        </div>
        <Select
          label="Render"
          data={renders.map(({ id, name }) => ({ value: String(id), label: name }))}
          value={String(render.id)}
          onChange={(id) => {
            setSearch({});
            setPoint(undefined);
            save.mutate(() => ({ render: Number(id) }));
          }}
        />
        <MarkChoice marks={marks} onChange={setMarks} />
        <ProbeTable
          render={render}
          point={point}
          held={held}
          sample={sample}
          onSample={setSample}
          exposure={exposure}
          panes={panes}
        />
        <GradePanel grade={grade} onChange={setGrade} />
        <Scopes render={render} choice={first} exposure={exposure} window={window} grade={grade} />
        <SelfTest choice={first} />
      </section>
    </div>
  );
}

/** The picture through every view of every display in the config. */
function ContactSheet({
  width,
  shape,
  ...shot
}: {
  render: Render;
  exposure: number;
  window: Parameters<typeof LivePicture>[0]['window'];
  marks: Marks;
  grade: Grade;
  point: Point | undefined;
  handlers: FrameHandlers;
  width: number;
  shape: number;
}) {
  const config = useConfig();
  const across = Math.floor((width - PADDING - 2 * GAP) / 3);
  const size = { width: across, height: Math.round(across / shape) };
  const { point, handlers, ...picture } = shot;
  return config.data?.displays.flatMap((display) =>
    display.views.map((view) => (
      <figure key={`${display.name} ${view}`} className={classes.pane} style={{ margin: 0, width: across }}>
        <Frame render={shot.render} window={shot.window} {...size} {...{ point, handlers }}>
          <LivePicture {...picture} {...size} choice={{ display: display.name, view, look: '' }} />
        </Frame>
        <figcaption className={`${classes.below} small ellipsis`}>
          {view} on {displayName(display.name)}
        </figcaption>
      </figure>
    )),
  );
}

/** The largest pictures of that shape of which `count` fit in rows and columns. */
function pictureSize(width: number, height: number, shape: number, count: number) {
  const fits = (columns: number) => {
    const rows = Math.ceil(count / columns);
    const most = (width - PADDING - GAP * (columns - 1)) / columns;
    const tallest = (height - PADDING - GAP * (rows - 1)) / rows - CAPTION;
    return Math.floor(Math.max(64, Math.min(most, tallest * shape)));
  };
  const columns = Array.from({ length: count }, (_, at) => at + 1).reduce((best, next) =>
    fits(next) > fits(best) ? next : best,
  );
  const best = fits(columns);
  return { columns, width: best, height: Math.round(best / shape) };
}
