import { SegmentedControl } from '@mantine/core';
import { type ReactNode } from 'react';

import { useConfig, useProject } from '../api/hooks';
import { Loaded } from '../shared/states';
import { AddedLooks, AddedSpaces } from './Additions';
import { BaseConfig } from './BaseConfig';
import { CheckApplication } from './CheckApplication';
import { CompareTwo } from './CompareTwo';
import { DisplayTable } from './DisplayTable';
import { Export } from './Export';
import { ProposedChange } from '../shared/ProposedChange';
import { useRemembered } from '../shared/remembered';
import { FoldingColumn } from '../shared/Fold';
import { RemoveUnused } from './RemoveUnused';
import { Revisions } from './Revisions';
import { RoleTable } from './RoleTable';
import { RulesLooksVariables } from './RulesLooksVariables';
import { SpaceFacts } from './SpaceFacts';
import { SpaceTable } from './SpaceTable';
import { TargetVersion } from './TargetVersion';
import { TraceColour } from './TraceColour';
import { WorkingSpace } from './WorkingSpace';

const LISTS = ['Spaces', 'Displays and views', 'Roles, rules, looks', 'Trace a colour', 'Compare and clean up'] as const;

/** The project's config: what it starts from, what was decided, what it holds, and its export. */
export function Config() {
  const config = useConfig();
  const project = useProject();
  const [list, setList] = useRemembered<(typeof LISTS)[number]>('config tab', 'Spaces');
  const [selected, setSelected] = useRemembered<string | undefined>('selected space', undefined);
  return (
    <Loaded of={config}>
      {(data) => {
        const name = selected ?? project.data?.setup.working_space;
        const space = data.spaces.find((candidate) => candidate.name === name) ?? data.spaces[0];
        return (
          <div className="columns">
            <section className="column" aria-label="Decisions">
              <WorkingSpace config={data} />
              <BaseConfig config={data} />
              <TargetVersion config={data} />
              <Revisions />
            </section>
            <section className="column" aria-label="What the config holds">
              <ProposedChange />
              <SegmentedControl
                value={list}
                onChange={(value) => setList(value as typeof list)}
                data={[...LISTS]}
                style={{ alignSelf: 'flex-start', flex: 'none' }}
              />
              {list === 'Spaces' && (
                <>
                  <SpaceTable config={data} selected={space?.name} onSelect={setSelected} />
                  <AddedSpaces />
                </>
              )}
              {list === 'Displays and views' && <DisplayTable config={data} />}
              {list === 'Roles, rules, looks' && (
                <>
                  <RoleTable config={data} />
                  <AddedLooks />
                  <RulesLooksVariables config={data} />
                </>
              )}
              {list === 'Trace a colour' && <TraceColour />}
              {list === 'Compare and clean up' && (
                <>
                  <Titled title="Compare two configs">
                    <CompareTwo config={data} />
                  </Titled>
                  <Titled title="Check in an application">
                    <CheckApplication config={data} />
                  </Titled>
                  <Titled title="Remove unused">
                    <RemoveUnused />
                  </Titled>
                </>
              )}
            </section>
            <FoldingColumn label="Selected space and export" guide="guide/config#understand">
              <Export config={data} />
              {space && <SpaceFacts key={space.name} space={space} config={data} />}
            </FoldingColumn>
          </div>
        );
      }}
    </Loaded>
  );
}

function Titled({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="block" aria-label={title}>
      <h2>{title}</h2>
      {children}
    </section>
  );
}
