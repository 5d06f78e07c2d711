import { MultiSelect, SegmentedControl } from '@mantine/core';
import { useQueries, useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import type { Schemas } from '../api/client';
import { type Config, spaceReport, useProject, useSlug } from '../api/hooks';
import { Facts } from '../shared/Facts';
import { CurvePlot, type Diagram, GamutPlot } from '../shared/plots';
import { Loaded } from '../shared/states';
import { fixed } from '../shared/numbers';
import classes from './Config.module.css';
import { SpaceEditor } from './SpaceEditor';

type Space = Config['spaces'][number];
type Report = Schemas['SpaceReport'];

const LOGARITHMIC = ['log', 'hdr-video'];
const MOST_BESIDE = 3;

/** What the config says of one space, and what the engine finds it to be. */
export function SpaceFacts({ space, config }: { space: Space; config: Config }) {
  const slug = useSlug();
  const project = useProject();
  const roles = config.roles.filter((role) => role.space === space.name).map((role) => role.name);
  const report = useQuery(spaceReport(slug, project.data?.revision.number ?? 0, space.name));
  return (
    <div className="block">
      <h2>{space.name}</h2>
      <Facts
        facts={[
          { name: 'referred to', value: space.is_data ? 'nothing: data' : space.reference },
          { name: 'encoding', value: space.encoding || 'not said' },
          { name: 'interop ID', value: space.interop_id || 'none' },
          { name: 'roles', value: roles.join(', ') || 'none' },
        ]}
      />
      <Loaded of={report}>
        {(found) => (
          <>
            {found.remark && <p className="quiet small">{found.remark}</p>}
            <Steps report={found} />
            {found.primaries && <Gamuts name={space.name} primaries={found.primaries} config={config} />}
            {found.curve.length > 0 && (
              <CurvePlot curve={found.curve} logarithmic={LOGARITHMIC.includes(space.encoding)} />
            )}
          </>
        )}
      </Loaded>
      <Facts
        facts={[
          { name: 'family', value: space.family || 'none' },
          { name: 'categories', value: space.categories.join(', ') || 'none' },
          { name: 'aliases', value: space.aliases.join(', ') || 'none' },
        ]}
      />
      {space.description && <p className="quiet small">{space.description}</p>}
      <SpaceEditor key={space.name} space={space} />
    </div>
  );
}

function Steps({ report }: { report: Report }) {
  if (report.steps.length === 0) return <p className="quiet small">It is the reference: no steps lead to it.</p>;
  return (
    <>
      <h3>Steps to the reference</h3>
      <ol className={classes.steps}>
        {report.steps.map((step, index) => (
          <li key={index}>
            {step.text}
            {step.numbers.length === 9 && <Matrix numbers={step.numbers} />}
          </li>
        ))}
      </ol>
    </>
  );
}

function Matrix({ numbers }: { numbers: number[] }) {
  return (
    <table className={classes.matrix}>
      <tbody>
        {[0, 3, 6].map((start) => (
          <tr key={start}>
            {numbers.slice(start, start + 3).map((number, index) => (
              <td key={index}>{fixed(number, 5)}</td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Gamuts({ name, primaries, config }: { name: string; primaries: Schemas['Primaries']; config: Config }) {
  const slug = useSlug();
  const project = useProject();
  const [kind, setKind] = useState<Diagram>('uv');
  const [beside, setBeside] = useState<string[]>([]);
  const others = useQueries({
    queries: beside.map((other) => spaceReport(slug, project.data?.revision.number ?? 0, other)),
  });
  const gamuts = [
    { name, primaries },
    ...beside.flatMap((other, index) => {
      const found = others[index]?.data?.primaries;
      return found ? [{ name: other, primaries: found }] : [];
    }),
  ];
  const corner = (point: Schemas['Point']) => point[kind].map((value) => fixed(value, 4)).join(' ');
  return (
    <>
      <div className="row spread">
        <h3>Primaries {primaries.known && <span className="quiet small">those of {primaries.known}</span>}</h3>
        <SegmentedControl
          aria-label="Diagram"
          value={kind}
          onChange={(value) => setKind(value as Diagram)}
          data={[
            { value: 'xy', label: '1931 xy' },
            { value: 'uv', label: '1976 u′v′' },
          ]}
        />
      </div>
      <GamutPlot gamuts={gamuts} kind={kind} />
      <MultiSelect
        aria-label="Draw beside it"
        placeholder={beside.length === 0 ? 'Draw others beside it' : ''}
        data={config.spaces.filter((space) => space.name !== name && !space.is_data).map((space) => space.name)}
        value={beside}
        onChange={setBeside}
        maxValues={MOST_BESIDE}
        searchable
      />
      <Facts
        facts={(['red', 'green', 'blue', 'white'] as const).map((point) => ({
          name: point,
          value: corner(primaries[point]),
        }))}
      />
      <p className="quiet small">Found by sending colours through the engine, seen under D65 as the config adapts.</p>
    </>
  );
}
