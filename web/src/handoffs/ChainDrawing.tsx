import { Button } from '@mantine/core';
import { useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { type Station, useChange, useOwnFindings } from '../api/hooks';
import { LevelMark, type Level } from '../shared/marks';
import { Loaded } from '../shared/states';
import classes from './Chain.module.css';
import { ProofMark } from './marks';
import { useChain } from './useChain';

const NODE = { width: 140, height: 48 };
const GAP = { across: 136, down: 10 };
const CHIP = { width: 98, height: 18 };
const LEVELS: Level[] = ['blocker', 'caution'];

type Arrow = Schemas['Arrow'];
interface Place {
  left: number;
  top: number;
}

/** The chain as it is: applications from left to right, and on each arrow what is handed over. */
export function ChainDrawing({
  stations,
  chosen,
  wrong,
  onChoose,
}: {
  stations: Station[];
  chosen: number | undefined;
  /** Applications that are set wrong in the simulation. */
  wrong: Set<number>;
  onChoose: (id: number) => void;
}) {
  const chain = useChain();
  return (
    <section className={classes.band} aria-label="Chain">
      <Loaded of={chain}>
        {(drawn) => <Drawn chain={drawn} stations={stations} chosen={chosen} wrong={wrong} onChoose={onChoose} />}
      </Loaded>
    </section>
  );
}

function Drawn({
  chain,
  stations,
  chosen,
  wrong,
  onChoose,
}: {
  chain: Schemas['Chain'];
  stations: Station[];
  chosen: number | undefined;
  wrong: Set<number>;
  onChoose: (id: number) => void;
}) {
  const [picked, setPicked] = useState<string>();
  const findings = useOwnFindings();
  const byId = new Map(stations.map((station) => [station.id, station]));
  const { places, width, height } = laidOut(chain);
  const change = useChange((slug, { giver, taker }: Arrow) =>
    body(
      api.PUT('/api/v1/projects/{slug}/stations/{id}/takers', {
        params: { path: { slug, id: giver } },
        body: { takers: byId.get(giver)?.hands_on_to.filter((id) => id !== taker) ?? [] },
      }),
    ),
  );
  const remove = (arrow: Arrow) => change.mutate(arrow, { onSuccess: () => setPicked(undefined) });
  const shown = chain.arrows.find((arrow) => keyOf(arrow) === picked);
  const nameOf = (id: number) => byId.get(id)?.name ?? '';
  return (
    <>
      <div className={classes.drawing} style={{ width, height }}>
        <svg width={width} height={height} aria-hidden="true">
          <defs>
            <marker id="arrow-end" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" orient="auto">
              <path d="M0 .6 7.5 4 0 7.4z" fill="#8f8f8f" />
            </marker>
          </defs>
          {chain.arrows.map((arrow) => (
            <path key={keyOf(arrow)} d={curve(arrow, chain, places)} fill="none" stroke="#8f8f8f" markerEnd="url(#arrow-end)" />
          ))}
        </svg>
        {chain.columns.flat().map((id) => {
          const station = byId.get(id);
          const place = places.get(id);
          if (!station || !place) return null;
          const level = LEVELS.find((one) =>
            findings.data?.some((found) => found.code.startsWith('handoff.') && found.level === one && found.subject === station.name),
          );
          return (
            <button
              key={id}
              type="button"
              className={classes.node}
              style={{ ...place, ...NODE }}
              aria-current={id === chosen}
              onClick={() => onChoose(id)}
            >
              <strong className="row" style={{ gap: 6 }}>
                {level && <LevelMark level={level} />}
                <span className="ellipsis" title={station.name}>
                  {station.name}
                </span>
              </strong>
              {wrong.has(id) ? <span className="small">set wrong here</span> : <ProofMark state={station.proof} />}
            </button>
          );
        })}
        {chain.arrows.map((arrow) => {
          const end = endOf(arrow, chain, places);
          return (
            <button
              key={keyOf(arrow)}
              type="button"
              className={classes.chip}
              style={{ left: end.left - GAP.across / 2 - CHIP.width / 2 - 4, top: end.top - CHIP.height / 2, width: CHIP.width }}
              title={`${arrow.what}. Delete removes the arrow.`}
              aria-label={`${nameOf(arrow.giver)} hands on to ${nameOf(arrow.taker)}: ${arrow.what}`}
              aria-pressed={keyOf(arrow) === picked}
              onClick={() => setPicked(keyOf(arrow) === picked ? undefined : keyOf(arrow))}
              onKeyDown={(event) => {
                if (event.key === 'Delete' || event.key === 'Backspace') remove(arrow);
              }}
            >
              {arrow.what.split(/[,:]/)[0]}
            </button>
          );
        })}
      </div>
      {shown && (
        <p className="row small" style={{ marginTop: 8 }}>
          <span>
            <strong>{nameOf(shown.giver)}</strong> hands on to <strong>{nameOf(shown.taker)}</strong>: {shown.what}.
          </span>
          <Button size="compact-xs" variant="subtle" loading={change.isPending} onClick={() => remove(shown)}>
            Remove this arrow
          </Button>
        </p>
      )}
    </>
  );
}

const keyOf = ({ giver, taker }: Arrow) => `${giver} ${taker}`;

/** Where each application stands; a column is as high as its applications with all that comes into them. */
function laidOut(chain: Schemas['Chain']) {
  const places = new Map<number, Place>();
  const heights = chain.columns.map((column) => column.reduce((sum, id) => sum + slot(id, chain), 0) - GAP.down);
  const height = Math.max(NODE.height, ...heights);
  chain.columns.forEach((column, at) => {
    let top = (height - (heights[at] ?? 0)) / 2;
    for (const id of column) {
      const own = slot(id, chain) - GAP.down;
      places.set(id, { left: at * (NODE.width + GAP.across), top: top + (own - NODE.height) / 2 });
      top += own + GAP.down;
    }
  });
  return { places, height, width: chain.columns.length * (NODE.width + GAP.across) - GAP.across };
}

const into = (id: number, chain: Schemas['Chain']) => chain.arrows.filter(({ taker }) => taker === id);

const slot = (id: number, chain: Schemas['Chain']) => Math.max(NODE.height, into(id, chain).length * (CHIP.height + 2)) + GAP.down;

/** Where an arrow ends: those into one application lie one below the other. */
function endOf(arrow: Arrow, chain: Schemas['Chain'], places: Map<number, Place>): Place {
  const arriving = into(arrow.taker, chain);
  const at = arriving.findIndex(({ giver }) => giver === arrow.giver) - (arriving.length - 1) / 2;
  const place = places.get(arrow.taker) ?? { left: 0, top: 0 };
  return { left: place.left, top: place.top + NODE.height / 2 + at * (CHIP.height + 2) };
}

function curve(arrow: Arrow, chain: Schemas['Chain'], places: Map<number, Place>) {
  const start = places.get(arrow.giver) ?? { left: 0, top: 0 };
  const end = endOf(arrow, chain, places);
  const [x, y] = [start.left + NODE.width, start.top + NODE.height / 2];
  const bend = end.left - GAP.across / 2 - CHIP.width / 2 - 4;
  return `M${x} ${y}C${x + 16} ${y} ${Math.max(bend - 16, x)} ${end.top} ${Math.max(bend, x + 2)} ${end.top}L${end.left - 2} ${end.top}`;
}
