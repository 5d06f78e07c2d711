import { Button, Select } from '@mantine/core';
import { keepPreviousData, useQuery } from '@tanstack/react-query';

import { api, body, type Schemas } from '../api/client';
import { type Station, useProject, useRenders, useSlug } from '../api/hooks';
import { GuideMark } from '../guide/GuideMark';
import { counted } from '../shared/marks';
import { useRemembered } from '../shared/remembered';
import { Loaded } from '../shared/states';
import { usePicture } from '../shared/usePicture';
import classes from './Chain.module.css';
import { useChain, useMistakes, usePictureAddress } from './useChain';

type Simulated = Schemas['SimulatedStation'];
export type Wrong = Record<string, string>;

/** What is set wrong in the simulation, by application. */
export const useWrong = () => useRemembered<Wrong>('set wrong in the simulation', {});

const RIGHT = 'as agreed';

/** The chain before anybody installs anything: set something wrong, and see it arrive in every application. */
export function Simulation({ stations }: { stations: Station[] }) {
  const slug = useSlug();
  const project = useProject();
  const renders = useRenders();
  const chain = useChain();
  const [wrong, setWrong] = useWrong();
  const [render, setRender] = useRemembered<number | undefined>('render in the simulation', undefined);
  const known = renders.data?.find(({ id }) => id === render)?.id ?? renders.data?.[0]?.id;
  const ids = new Set(stations.map(({ id }) => String(id)));
  const asked = Object.entries(wrong)
    .filter(([id, key]) => key && ids.has(id))
    .map(([id, key]) => `${id}~${key}`);
  const simulated = useQuery({
    queryKey: [slug, 'simulation', asked, known, project.data?.revision.number],
    queryFn: () =>
      body(
        api.GET('/api/v1/projects/{slug}/simulation', {
          params: { path: { slug }, query: { wrong: asked, ...(known === undefined ? {} : { render: known }) } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
  const order = chain.data?.columns.flat() ?? [];
  const inOrder = stations.toSorted((one, other) => order.indexOf(one.id) - order.indexOf(other.id));
  return (
    <section className="column" aria-label="Simulation">
      <div className="row spread">
        <h2>
          Simulation{' '}
          <span className="quiet small">
            {asked.length ? `${counted(asked.length, 'application')} set wrong` : 'all as agreed'}
          </span>
          <GuideMark to="guide/handoffs#simulation" about="Simulation" />
        </h2>
        <div className="row">
          {(renders.data?.length ?? 0) > 1 && (
            <Select
              size="xs"
              aria-label="Picture that goes through the chain"
              data={renders.data?.map(({ id, name }) => ({ value: String(id), label: name })) ?? []}
              value={String(known)}
              allowDeselect={false}
              onChange={(id) => setRender(Number(id))}
            />
          )}
          <Button size="xs" variant="subtle" disabled={!asked.length} onClick={() => setWrong({})}>
            Set all right
          </Button>
        </div>
      </div>
      <p className="quiet small">
        Every application is computed from what it can do. Set one of them wrong: its picture changes, and so does every
        picture after it that the mistake reaches.
      </p>
      <Loaded of={simulated}>
        {(outcomes) => (
          <div className={classes.pictures}>
            {inOrder.map((station) => (
              <Simulated
                key={station.id}
                station={station}
                outcome={outcomes.find(({ id }) => id === station.id)}
                asked={asked}
                render={known}
                mistake={wrong[station.id] ?? ''}
                onMistake={(key) => setWrong({ ...wrong, [station.id]: key })}
              />
            ))}
          </div>
        )}
      </Loaded>
    </section>
  );
}

function Simulated({
  station,
  outcome,
  asked,
  render,
  mistake,
  onMistake,
}: {
  station: Station;
  outcome: Simulated | undefined;
  asked: string[];
  render: number | undefined;
  mistake: string;
  onMistake: (key: string) => void;
}) {
  const mistakes = useMistakes(station.id);
  const address = usePictureAddress();
  const query: [string, string | number][] = [
    ['station', station.id],
    ...asked.map((one) => ['wrong', one] as [string, string]),
    ...(render === undefined ? [] : [['render', render] as [string, number]]),
  ];
  const { shown, state } = usePicture(address('simulation/picture', query));
  const made = mistakes.data?.find(({ key }) => key === mistake);
  return (
    <figure className="card" style={{ display: 'flex', flexDirection: 'column', gap: 6 }} role="group" aria-label={`Simulated ${station.name}`}>
      <h3>{station.name}</h3>
      <Select
        size="xs"
        aria-label={`What is set wrong in the ${station.name.toLowerCase()}`}
        data={[{ value: '', label: RIGHT }, ...(mistakes.data ?? []).map((one) => ({ value: one.key, label: choiceOf(one) }))]}
        value={mistake}
        allowDeselect={false}
        onChange={(key) => onMistake(key ?? '')}
      />
      <div className="plate" style={{ opacity: state === 'loading' ? 0.6 : 1, minHeight: 120 }}>
        {shown ? <img src={shown} alt={`What the ${station.name.toLowerCase()} shows`} /> : state === 'failed' && 'It shows nothing and hands on nothing.'}
      </div>
      {outcome && (
        <>
          <p className="small">
            <strong>{outcome.shown_wrong ? 'Shows it wrong.' : outcome.handed_wrong ? 'Shows it right, hands it on wrong.' : 'As agreed.'}</strong>{' '}
            {made?.happened}
          </p>
          <Numbers outcome={outcome} />
          {outcome.repair && (
            <p className="small">
              <strong>{outcome.repair.possible ? 'Can be repaired here: ' : 'Cannot be repaired here: '}</strong>
              {outcome.repair.why}
              {outcome.repair.possible && outcome.repair.lost > 0 && `; ${(100 * outcome.repair.lost).toFixed(1)} % of the pixels are lost`}.
            </p>
          )}
        </>
      )}
    </figure>
  );
}

const choiceOf = ({ label, parameters }: Schemas['StationMistake']) => {
  const told = ['read_as', 'taken_as', 'shown', 'written', 'curve', 'range', 'how', 'exponent', 'stops']
    .flatMap((name) => (parameters[name] === undefined ? [] : [parameters[name]]))
    .map((value) => (typeof value === 'number' ? value.toFixed(2).replace(/\.?0+$/, '') : String(value).replace(/^[,:] /, '')));
  return told.length ? `${label} (${told.join(', ')})` : label;
};

/** The test colour as it is here, and as agreed where that is another. */
function Numbers({ outcome }: { outcome: Simulated }) {
  const { shown, shown_agreed, written, written_agreed } = outcome.tracer;
  return (
    <dl className="facts">
      {shown && <Line name="shown" numbers={shown} agreed={shown_agreed} />}
      {written && <Line name="handed on" numbers={written} agreed={written_agreed} />}
    </dl>
  );
}

function Line({ name, numbers, agreed }: { name: string; numbers: number[]; agreed: number[] | null | undefined }) {
  const told = (all: number[]) => all.map((number) => number.toFixed(3)).join(' ');
  return (
    <>
      <dt>{name}</dt>
      <dd>
        {told(numbers)}
        {agreed && told(agreed) !== told(numbers) && <div className="quiet">agreed {told(agreed)}</div>}
      </dd>
    </>
  );
}
