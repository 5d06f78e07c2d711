import { Button } from '@mantine/core';
import { useNavigate, useSearchParams } from 'react-router';

import type { Schemas } from '../api/client';
import { type Render, useComparison, useRenders, useSlug } from '../api/hooks';
import { Empty, Loaded } from '../shared/states';
import { useKept } from './SaveSeen';
import { FirstRender } from '../scene/FirstRender';
import { Table } from './Table';
import { ViewSweeps } from './ViewSweeps';
import { type Kept, useKeptTable, useProjectTable } from './useTable';

/** Renders through views, side by side and over each other, with probes and scopes. */
export function Compare() {
  const [search] = useSearchParams();
  const renders = useRenders();
  const kept = useKept();
  const comparison = useComparison();
  const slug = useSlug();
  const navigate = useNavigate();
  const wanted = Number(search.get('kept'));
  return (
    <Loaded of={renders}>
      {(listed) => {
        if (listed.length === 0) {
          return (
            <div className="column" style={{ height: '100%', overflow: 'auto' }}>
              <FirstRender what="Compare shows renders through views, side by side." />
              <ViewSweeps />
            </div>
          );
        }
        if (!wanted) {
          return <Loaded of={comparison}>{(data) => <ProjectTable comparison={data} renders={listed} />}</Loaded>;
        }
        return (
          <Loaded of={kept}>
            {(all) => {
              const found = all.find(({ id }) => id === wanted);
              if (found) return <KeptTable key={found.id} kept={found} renders={listed} />;
              return (
                <Empty>
                  <p>This comparison was deleted.</p>
                  <Button onClick={() => void navigate(`/p/${slug}/compare`)}>Show the current one</Button>
                </Empty>
              );
            }}
          </Loaded>
        );
      }}
    </Loaded>
  );
}

function ProjectTable({ comparison, renders }: { comparison: Schemas['Comparison']; renders: Render[] }) {
  const [search] = useSearchParams();
  const wanted = Number(search.get('render')) || comparison.render;
  const render = renders.find((candidate) => candidate.id === wanted) ?? renders[0];
  const table = useProjectTable(comparison, render);
  return render && <Table table={table} render={render} renders={renders} />;
}

function KeptTable({ kept, renders }: { kept: Kept; renders: Render[] }) {
  const table = useKeptTable(kept);
  const render = renders.find(({ id }) => id === table.state.render) ?? renders[0];
  return render && <Table table={table} render={render} renders={renders} kept={kept} />;
}

