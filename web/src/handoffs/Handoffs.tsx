import type { ReactNode } from 'react';

import { useChange, useStations, type Station } from '../api/hooks';
import { api, body, type Schemas } from '../api/client';
import { Segments } from '../shared/Segments';
import { Sortable, SortableItem } from '../shared/Sortable';
import { Empty, Loaded } from '../shared/states';
import { useRemembered } from '../shared/remembered';
import classes from './Chain.module.css';
import { ChainDrawing } from './ChainDrawing';
import { Explain } from './Explain';
import { Exports } from './Exports';
import { FirstChain, NewStation } from './NewStation';
import { Sheet } from './Sheet';
import { Simulation, useWrong } from './Simulation';
import { StationForm } from './StationForm';
import { TestCard } from './TestCard';
import { TextureTable } from './TextureTable';
import { NightWatch } from '../watching/NightWatch';
import { EXPLAIN, SETTINGS, SIMULATION, TEST_CARD, TEXTURES, useHandoffsView, WATCH } from './useView';

const READS: Record<Schemas['ReadsEnum'], string> = { textures: 'reads textures', renders: 'reads renders' };
const VIEWS = [SETTINGS, TEXTURES, TEST_CARD, SIMULATION, EXPLAIN, WATCH];

/** What is shown of an application. */
const OF_STATION: Record<string, (of: { station: Station; stations: Station[] }) => ReactNode> = {
  [SETTINGS]: ({ station }) => <Sheet key={station.id} station={station} />,
  [TEXTURES]: ({ station }) => <TextureTable key={station.id} station={station} />,
  [TEST_CARD]: ({ station }) => <TestCard key={station.id} station={station} />,
  [SIMULATION]: ({ stations }) => <Simulation stations={stations} />,
  [EXPLAIN]: ({ station }) => <Explain key={station.id} station={station} />,
};

/** The chain of applications, what must be set in each, and the proof that it is. */
export function Handoffs() {
  const stations = useStations();
  const [chosen, setChosen] = useRemembered<number | undefined>('selected application', undefined);
  const [view, setView] = useHandoffsView();
  const [wrong] = useWrong();
  return (
    <Loaded of={stations}>
      {(listed) => {
        const station = listed.find(({ id }) => id === chosen) ?? listed[0];
        if (!station) {
          return (
            <Empty>
              <p>The chain is empty. Start with the shortest one, or add your own first application.</p>
              <FirstChain />
              <NewStation onAdded={setChosen} />
            </Empty>
          );
        }
        const shown = view === TEXTURES && station.reads !== 'textures' ? SETTINGS : view;
        return (
          <div className={classes.page}>
            <ChainDrawing
              stations={listed}
              chosen={station.id}
              wrong={new Set(shown === SIMULATION ? Object.keys(wrong).filter((id) => wrong[id]).map(Number) : [])}
              onChoose={setChosen}
            />
            <div className={classes.views}>
              <Segments
                aria-label="What is shown"
                data={VIEWS.filter((one) => one !== TEXTURES || station.reads === 'textures')}
                value={shown}
                onChange={setView}
              />
            </div>
            {shown === WATCH ? (
              <NightWatch />
            ) : (
              <div className="columns">
                <section className="column" aria-label="Applications">
                  <StationForm key={station.id} station={station} others={listed} onCopied={setChosen} />
                  <NewStation onAdded={setChosen} />
                  <h3>
                    Order <span className="quiet small">within the columns of the chain</span>
                  </h3>
                  <Order listed={listed} chosen={station} onChoose={setChosen} />
                </section>
                {OF_STATION[shown]?.({ station, stations: listed })}
                <Exports key={`exports-${station.id}`} station={station} />
              </div>
            )}
          </div>
        );
      }}
    </Loaded>
  );
}

/** The applications from first to last, to be dragged. */
function Order({ listed, chosen, onChoose }: { listed: Station[]; chosen: Station; onChoose: (id: number) => void }) {
  const order = useChange((slug, stations: number[]) =>
    body(api.PUT('/api/v1/projects/{slug}/station-order', { params: { path: { slug } }, body: { stations } })),
  );
  const asDropped = order.isPending ? order.variables.flatMap((id) => listed.find((item) => item.id === id) ?? []) : listed;
  return (
    <Sortable keys={asDropped.map(({ id }) => id)} onOrder={(ids) => order.mutate(ids)}>
      {asDropped.map((item) => (
        <SortableItem key={item.id} id={item.id} label={item.name} className={`card ${item.id === chosen.id ? 'chosen' : ''}`}>
          <button className="bare" aria-current={item.id === chosen.id} onClick={() => onChoose(item.id)}>
            <strong>{item.name}</strong>
            <span className="quiet small">{READS[item.reads as Schemas['ReadsEnum']]}</span>
          </button>
        </SortableItem>
      ))}
    </Sortable>
  );
}
