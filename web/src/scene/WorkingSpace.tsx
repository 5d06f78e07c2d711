import { Select } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';

import { api, body } from '../api/client';
import { useConfig, useProject, useSlug } from '../api/hooks';
import { displayName, figure } from '../shared/colour';
import { Facts } from '../shared/Facts';
import { FoldingColumn } from '../shared/Fold';
import { type Diagram, GamutPlot } from '../shared/plots';
import { ProposedChange } from '../shared/ProposedChange';
import { Segments } from '../shared/Segments';
import { Empty, Loaded } from '../shared/states';
import { SpaceChanges } from './SpaceChanges';

/** The working space as it can be seen, and what another one would change. */
export function WorkingSpace({ parts }: { parts: ReactNode }) {
  const slug = useSlug();
  const project = useProject();
  const config = useConfig();
  const [looked, setLooked] = useState<string>();
  const [kind, setKind] = useState<Diagram>('xy');
  const current = project.data?.setup.working_space ?? '';
  const space = looked ?? current;
  const found = useQuery({
    queryKey: [slug, 'working-space', project.data?.revision.number, space],
    queryFn: () =>
      body(api.GET('/api/v1/projects/{slug}/working-space', { params: { path: { slug }, query: { space } } })),
    enabled: space !== '',
    retry: false,
  });
  return (
    <div className="columns two">
      <section className="column" aria-label="Working space">
        {parts}
        <ProposedChange />
        <Select
          label="Try another space"
          description={`The project works in ${current}. Nothing is switched by looking; a space of your own is defined in the Config step.`}
          data={config.data?.working_spaces ?? []}
          value={space}
          allowDeselect={false}
          w={460}
          onChange={(value) => setLooked(value ?? undefined)}
        />
        {space === current ? (
          <Empty>Choose another space to see what it would change: colours, textures, and the rig in both.</Empty>
        ) : (
          <SpaceChanges key={space} space={space} />
        )}
      </section>
      <FoldingColumn label="Its gamut" guide="guide/scene#working-space">
        <div className="row spread">
          <h2>{space}</h2>
          <Segments
            aria-label="Diagram"
            value={kind}
            onChange={(value) => setKind(value as Diagram)}
            data={[
              { value: 'xy', label: 'xy' },
              { value: 'uv', label: 'u′v′' },
            ]}
          />
        </div>
        <Loaded of={found}>
          {(data) => {
            const displays = [...new Map(data.displays.map((row) => [row.primaries.known || row.display, row])).values()];
            return (
              <>
                <GamutPlot
                  kind={kind}
                  gamuts={[
                    { name: space, primaries: data.primaries },
                    ...displays
                      .slice(0, 3)
                      .map(({ display, primaries }) => ({ name: primaries.known || displayName(display), primaries })),
                  ]}
                />
                <Facts
                  facts={[
                    { name: 'of Pointer’s surface colours', value: `${(data.pointer_covered * 100).toFixed(1)} %` },
                    ...data.displays.map(({ display, covered }) => ({
                      name: `of ${displayName(display)}`,
                      value: `${(covered * 100).toFixed(1)} %`,
                    })),
                  ]}
                />
                <p className="small">
                  {data.imaginary.length === 0
                    ? 'All its primaries are colours that can be seen.'
                    : `Its ${data.imaginary.join(' and ')} ${data.imaginary.length > 1 ? 'lie' : 'lies'} outside what can be seen: no light has that colour, but the space holds more of those that have one.`}
                </p>
                <h3>What the applications expect</h3>
                {data.stations.map((says) => (
                  <p key={says} className="small quiet">
                    {says}
                  </p>
                ))}
                <h3>Matrices</h3>
                {data.matrices.map((matrix) => (
                  <details key={matrix.space} className="small">
                    <summary>{matrix.space}</summary>
                    <p className="quiet">to it</p>
                    <MatrixRows rows={matrix.to} />
                    <p className="quiet">from it</p>
                    <MatrixRows rows={matrix.back} />
                  </details>
                ))}
              </>
            );
          }}
        </Loaded>
      </FoldingColumn>
    </div>
  );
}

function MatrixRows({ rows }: { rows: (number | null)[][] }) {
  return (
    <pre className="mono" style={{ margin: 0 }}>
      {rows.map((row) => row.map((value) => figure(value).padStart(8)).join(' ')).join('\n')}
    </pre>
  );
}
