import { Button, Select, Slider } from '@mantine/core';
import { useDebouncedValue, useElementSize, useHotkeys } from '@mantine/hooks';
import { useCallback, useRef, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';

import { api, body, type Schemas } from '../api/client';
import { type Render, useChange, useComparison, useRenders, useSlug, type ViewChoice } from '../api/hooks';
import { stops } from '../shared/colour';
import { Key } from '../shared/marks';
import { Empty, Loaded } from '../shared/states';
import classes from './Compare.module.css';
import { Pane } from './Pane';
import { ProbeTable, type Point } from './ProbeTable';

type Comparison = Schemas['Comparison'];

const REACH = 8;
const GAP = 10;
const PADDING = 24;
const CAPTION = 40;

/** One render through two views, with a common exposure and a probe. */
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
            <Button onClick={() => void navigate(`/p/${slug}/scene`)}>Bring one in Scene</Button>
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
  const [drawnExposure] = useDebouncedValue(exposure, 80);
  const [point, setPoint] = useState<Point>();
  const [held, setHeld] = useState(false);
  const [sample, setSample] = useState(1);
  const { ref, width, height } = useElementSize();
  const panes = comparison.panes as ViewChoice[];

  // A change made while one is on its way must not be refused as stale by its own forerunner.
  const version = useRef(comparison.version);
  const save = useChange((slug, change: Partial<Omit<Comparison, 'version'>>) => {
    version.current = Math.max(version.current, comparison.version);
    const next = { render: render?.id ?? null, exposure, panes, ...change };
    return body(
      api.PUT('/api/projects/{slug}/comparison', {
        params: { path: { slug } },
        body: { ...next, based_on: version.current },
      }),
    ).then((saved) => {
      version.current = saved.version;
      return saved;
    });
  });
  const expose = (next: number) => {
    const limited = Math.min(REACH, Math.max(-REACH, next));
    setExposure(limited);
    save.mutate({ exposure: limited });
  };
  useHotkeys([
    ['[', () => expose(exposure - 0.5)],
    [']', () => expose(exposure + 0.5)],
    ['0', () => expose(0)],
    ['x', () => save.mutate({ panes: [...panes].reverse() })],
  ]);
  const onPoint = useCallback((next: Point) => !held && setPoint(next), [held]);
  if (!render) return null;
  const size = pictureSize(width, height, render.width / render.height);

  return (
    <div className="columns two">
      <div className={classes.table}>
        <div
          ref={ref}
          className={classes.panes}
          style={{ gridTemplateColumns: size.beside ? `repeat(2, ${size.width}px)` : `${size.width}px` }}
        >
          {width > 0 &&
            panes.map((choice, index) => (
              <Pane
                key={index}
                number={index + 1}
                render={render}
                choice={choice}
                exposure={drawnExposure}
                width={size.width}
                height={size.height}
                point={point}
                onPoint={onPoint}
                onHold={() => setHeld(!held)}
                onChoose={(next) => save.mutate({ panes: panes.map((kept, at) => (at === index ? next : kept)) })}
              />
            ))}
        </div>
      </div>
      <section className="column" aria-label="Exposure and probe">
        <div className="block">
          <h2>Exposure, both panes</h2>
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
          <div className="row">
            <Button size="compact-xs" onClick={() => expose(exposure - 0.5)} aria-label="Half a stop down">
              −½ &nbsp;<Key>[</Key>
            </Button>
            <Button size="compact-xs" onClick={() => expose(exposure + 0.5)} aria-label="Half a stop up">
              +½ &nbsp;<Key>]</Key>
            </Button>
            <Button size="compact-xs" onClick={() => expose(0)}>
              Zero &nbsp;<Key>0</Key>
            </Button>
            <Button size="compact-xs" onClick={() => save.mutate({ panes: [...panes].reverse() })}>
              Swap &nbsp;<Key>X</Key>
            </Button>
          </div>
        </div>
        <Select
          label="Render"
          data={renders.map(({ id, name }) => ({ value: String(id), label: name }))}
          value={String(render.id)}
          onChange={(id) => {
            setSearch({});
            setPoint(undefined);
            save.mutate({ render: Number(id) });
          }}
        />
        <ProbeTable
          render={render}
          point={point}
          held={held}
          sample={sample}
          onSample={setSample}
          exposure={drawnExposure}
          panes={panes}
        />
      </section>
    </div>
  );
}

/** The largest pictures of that shape that fit, beside or above each other. */
function pictureSize(width: number, height: number, shape: number) {
  const fit = (most: number, tallest: number) => Math.floor(Math.min(most, tallest * shape));
  const innerWidth = width - PADDING;
  const innerHeight = height - PADDING;
  const beside = fit((innerWidth - GAP) / 2, innerHeight - CAPTION);
  const above = fit(innerWidth, (innerHeight - GAP) / 2 - CAPTION);
  const best = Math.max(beside, above, 64);
  return { beside: beside >= above, width: best, height: Math.round(best / shape) };
}
