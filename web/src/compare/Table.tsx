import { Button, Select, Slider, VisuallyHidden } from '@mantine/core';
import { useDebouncedCallback, useElementSize, useHotkeys, useLocalStorage, useMergedRef } from '@mantine/hooks';
import { useCallback, useMemo, useRef, useState } from 'react';
import { useSearchParams } from 'react-router';

import { type Render, useProject } from '../api/hooks';
import { stops } from '../shared/colour';
import { Key } from '../shared/marks';
import { ScreenMark } from '../screen/ScreenMark';
import { Segments } from '../shared/Segments';
import { useRemembered } from '../shared/remembered';
import { Fold, FoldingColumn } from '../shared/Fold';
import classes from './Compare.module.css';
import { ContactSheet } from './ContactSheet';
import { DesignPanel } from './DesignPanel';
import { DesignTable } from './DesignTable';
import type { Grade, Marks } from './drawer';
import type { FrameHandlers, Point, Standing } from './Frame';
import { GradePanel } from './GradePanel';
import { KeptNotes } from './KeptNotes';
import { LightPlaces } from './LightPlaces';
import { useLight } from './live';
import { MarkChoice } from './MarkChoice';
import { Pane } from './Pane';
import { pictureSize, shapeOf, within } from './paneSizes';
import { ProbeList, ProbeTable } from './ProbeTable';
import { SaveSeen } from './SaveSeen';
import { Scopes } from './Scopes';
import { SelfTest } from './SelfTest';
import { type OnScreen, type PaneState, screenOfBrowser, ScreenContext, shownIn } from './shown';
import { TwoInOne } from './TwoInOne';
import { useDesign } from './useDesign';
import type { Kept, TableOf } from './useTable';
import { useWindow } from './useWindow';

const REACH = 8;
const MOST_PANES = 9;
const MOST_PROBES = 12;

const MODES = {
  panes: 'Panes',
  wipe: 'Wipe',
  flip: 'Flip',
  difference: 'Difference',
  sheet: 'All views',
  probes: 'Probes',
  light: 'Tone and hue response',
  design: 'Design',
};
type Mode = keyof typeof MODES;
const SCROLLED: Mode[] = ['light', 'design'];

const LAYOUTS = { fit: 'Fit', beside: 'Side by side', stacked: 'Stacked' };
type Layout = keyof typeof LAYOUTS;

const SURROUNDS = { black: '#000000', grey: '#777777', white: '#ffffff' };
type Surround = keyof typeof SURROUNDS;

const NO_PANE: PaneState = { display: '', view: '', look: '', exposure: null, render: null, layer: null, working: '' };

/** Panes of renders through views, with what is drawn beside and over them. */
export function Table({ table, render, renders, kept }: { table: TableOf; render: Render; renders: Render[]; kept?: Kept }) {
  const [, setSearch] = useSearchParams();
  const { state, change } = table;
  const project = useProject();
  const [exposure, setExposure] = useState(state.exposure);
  const [point, setPoint] = useState<Point>();
  const [region, setRegion] = useState<Standing['region']>();
  const [sample, setSample] = useState(1);
  const of = kept ? `comparison ${kept.id}` : 'compare';
  const [mode, setMode] = useRemembered<Mode>(`${of}: mode`, kept && kept.state.mode in MODES ? (kept.state.mode as Mode) : 'panes');
  const [flipped, setFlipped] = useState(false);
  const [marks, setMarks] = useRemembered<Marks>(`${of}: marks`, (kept?.state.marks as Marks | undefined) ?? 'picture');
  const [grade, showGrade] = useState(state.grade);
  const keepGrade = useDebouncedCallback((next: Grade) => change(() => ({ grade: next })), {
    delay: 300,
    flushOnUnmount: true,
  });
  const setGrade = (next: Grade) => {
    showGrade(next);
    keepGrade(next);
  };
  const [surround, setSurround] = useRemembered<Surround>(
    `${of}: surround`,
    kept && kept.state.surround in SURROUNDS ? (kept.state.surround as Surround) : 'grey',
  );
  const [onScreen, setOnScreen] = useRemembered<OnScreen>('on screen', 'light');
  const [testPicture, setTestPicture] = useRemembered(`${of}: test picture`, '');
  const { window, zoom, pan, magnify, whole } = useWindow(kept?.state.window);
  const { ref: sized, width, height } = useElementSize();
  const seen = useRef<HTMLDivElement>(null);
  const ref = useMergedRef(sized, seen);
  const designing = useDesign();
  const screen = useMemo(() => ({ onScreen, screen: screenOfBrowser() }), [onScreen]);
  const { panes, probes } = state;

  const savePanes = useCallback(
    (next: (before: PaneState[]) => PaneState[]) => change((before) => ({ panes: next(before.panes) })),
    [change],
  );
  const setPane = useCallback(
    (index: number, next: PaneState) => savePanes((before) => before.map((held, at) => (at === index ? next : held))),
    [savePanes],
  );
  const removePane = useCallback(
    (index: number) => savePanes((before) => before.filter((_, at) => at !== index)),
    [savePanes],
  );
  // Pictures answer at once; what is kept of it follows when the hand rests.
  const keepExposure = useDebouncedCallback((kept: number) => change(() => ({ exposure: kept })), {
    delay: 300,
    flushOnUnmount: true,
  });
  const expose = (next: number) => {
    const limited = Math.min(REACH, Math.max(-REACH, next));
    setExposure(limited);
    keepExposure(limited);
  };
  useHotkeys([
    ['[', () => expose(exposure - 0.5)],
    [']', () => expose(exposure + 0.5)],
    ['0', () => expose(0)],
    ['x', () => savePanes((before) => [...before].reverse())],
    ['v', () => setFlipped((before) => !before)],
    ['w', whole],
  ]);
  const hold = useCallback(
    (at: Point) => change((before) => ({ probes: [...before.probes, at].slice(-MOST_PROBES) })),
    [change],
  );
  const handlers = useMemo<FrameHandlers>(
    () => ({ onPoint: setPoint, onHold: hold, onRegion: setRegion, onZoom: zoom, onPan: pan }),
    [hold, zoom, pan],
  );
  const standing: Standing = { point, probes, region, pixels: render };
  const revision = kept?.revision;
  const all = { render, renders, exposure, revision };
  const shown = panes.map((pane) => shownIn(pane, all));
  const [first = shownIn(NO_PANE, all), second = first] = shown;
  const [firstState = NO_PANE, secondState = firstState] = panes;
  const states: [PaneState, PaneState] = [firstState, secondState];
  const common = { render: render.id, exposure, ...(revision === undefined ? {} : { revision }) };
  // What measures pictures waits for the first one, so that it is on the screen before.
  const firstLight = useLight(first);
  const [isSeen, setSeen] = useState(false);
  if (!isSeen && (firstLight.data !== undefined || firstLight.error !== null)) setSeen(true);
  const isPair = mode === 'wipe' || mode === 'flip' || mode === 'difference';
  const isDesign = mode === 'design';
  const shape = render.width / render.height;
  const room = mode === 'probes' ? height * 0.55 : height;
  const [layout, setLayout] = useLocalStorage<Layout>({ key: 'saltwort.panes', defaultValue: 'fit' });
  const columns = { fit: undefined, beside: panes.length, stacked: 1 }[layout];
  const size = pictureSize(width, room, shape, isPair ? 1 : panes.length, columns);
  const look = { window, marks, grade };
  const asked = { ...common, panes, sample };

  return (
    <ScreenContext value={screen}>
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
              <SaveSeen
                table={() => seen.current}
                mode={MODES[mode]}
                state={{
                  render: render.id,
                  exposure,
                  panes: panes.map((pane) => ({ ...pane })),
                  probes: probes.map(({ x, y }) => [x, y]),
                  mode,
                  surround,
                  marks,
                  window: [window.x, window.y, window.width, window.height],
                }}
              />
            </span>
          </div>
          <div
            ref={ref}
            className={mode === 'sheet' ? classes.sheet : SCROLLED.includes(mode) ? classes.plots : classes.panes}
            style={{
              background: SCROLLED.includes(mode) ? undefined : SURROUNDS[surround],
              ...(mode === 'sheet' || SCROLLED.includes(mode)
                ? {}
                : { gridTemplateColumns: `repeat(${size.columns}, ${size.width}px)` }),
            }}
          >
            {width > 0 &&
              (mode === 'panes' || mode === 'probes') &&
              panes.map((pane, index) => {
                const picture = shown[index] ?? first;
                return (
                  <Pane
                    key={index}
                    index={index}
                    pane={pane}
                    gone={table.gone[index] ?? ''}
                    space={size}
                    shown={picture}
                    {...within(size, picture)}
                    {...look}
                    {...{ standing, handlers }}
                    onChange={setPane}
                    onRemove={panes.length > 1 ? removePane : undefined}
                  />
                );
              })}
            {mode === 'probes' && (
              <div className={classes.probes}>
                <ProbeList
                  held={probes}
                  size={render}
                  shown={shown}
                  asked={asked}
                  onRemove={(index) => change((before) => ({ probes: before.probes.filter((_, at) => at !== index) }))}
                />
              </div>
            )}
            {width > 0 && isPair && (
              <TwoInOne
                overlay={mode}
                panes={[first, second]}
                {...{ states, common, flipped, standing, handlers }}
                width={size.width}
                height={size.height}
                {...look}
              />
            )}
            {mode === 'light' && <LightPlaces panes={shown} />}
            {width > 0 && isDesign && (
              <DesignTable
                {...{ first, designing, width, standing, handlers }}
                {...look}
                picture={testPicture}
                onPicture={setTestPicture}
              />
            )}
            {width > 0 && mode === 'sheet' && (
              <ContactSheet {...{ first, width, standing, handlers }} {...look} shape={shapeOf(first, shape)} />
            )}
          </div>
        </div>
        <FoldingColumn label={isDesign ? 'Design' : 'Exposure and probe'} guide={isDesign ? 'guide/compare#designing-a-view' : 'guide/compare#measuring'}>
          {kept && (
            <KeptNotes
              kept={kept}
              state={state}
              isLost={renders.every(({ id }) => id !== state.render)}
              onLeave={() => setSearch({})}
            />
          )}
          {isDesign && (
            <DesignPanel
              designing={designing}
              shown={designing.through(first)}
              onSaved={(choice) =>
                savePanes((before) => before.map((pane, index) => (index === 0 ? { ...pane, ...choice } : pane)))
              }
            />
          )}
          <ScreenMark />
          <Fold title="Exposure, all panes">
            <Slider
              aria-label="Exposure in stops"
              thumbLabel="Exposure in stops"
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
              <Button size="compact-xs" onClick={() => expose(exposure - 0.5)}>
                −½ &nbsp;<Key>[</Key>
                <VisuallyHidden>Half a stop down</VisuallyHidden>
              </Button>
              <Button size="compact-xs" onClick={() => expose(exposure + 0.5)}>
                +½ &nbsp;<Key>]</Key>
                <VisuallyHidden>Half a stop up</VisuallyHidden>
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
              {mode === 'panes' && panes.length > 1 && (
                <Segments
                  aria-label="Layout of the panes"
                  value={layout}
                  onChange={(value) => setLayout(value as Layout)}
                  data={Object.entries(LAYOUTS).map(([value, label]) => ({ value, label }))}
                />
              )}
              {mode === 'panes' && panes.length < MOST_PANES && (
                <Button size="compact-xs" onClick={() => savePanes((before) => [...before, before.at(-1) ?? firstState])}>
                  Add a pane
                </Button>
              )}
            </div>
          </Fold>
          <Fold title="Picture and marks" guide="guide/compare">
            <Select
              label="Render"
              data={renders.map(({ id, name }) => ({ value: String(id), label: name }))}
              value={String(render.id)}
              onChange={(id) => {
                if (!kept) setSearch({});
                setPoint(undefined);
                change(() => ({ render: Number(id) }));
              }}
            />
            <MarkChoice marks={marks} onChange={setMarks} screen={screen} onScreen={setOnScreen} />
          </Fold>
          {!isDesign && isSeen && (
            <>
              <Fold title="Probe" guide="guide/compare#measuring">
                <ProbeTable
                  point={point ?? probes.at(-1)}
                  onPoint={setPoint}
                  size={render}
                  held={probes}
                  asked={asked}
                  onSample={setSample}
                  onClear={() => change(() => ({ probes: [] }))}
                />
              </Fold>
              <Fold title="Scope" guide="guide/compare#measuring">
                <Scopes shown={first} window={window} region={region} grade={grade} onWhole={() => setRegion(undefined)} />
              </Fold>
              <Fold title="Grade" guide="guide/compare#a-grade-before-or-after-the-view">
                <GradePanel grade={grade} onChange={setGrade} states={states} common={common} />
              </Fold>
              <SelfTest shown={first} />
            </>
          )}
          {project.error && <p role="alert">{project.error.message}</p>}
        </FoldingColumn>
      </div>
    </ScreenContext>
  );
}

