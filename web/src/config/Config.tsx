import { SegmentedControl } from '@mantine/core';
import { useState } from 'react';

import { useConfig, useProject } from '../api/hooks';
import { Loaded } from '../shared/states';
import { Additions } from './Additions';
import { BaseConfig } from './BaseConfig';
import { CompareTwo } from './CompareTwo';
import { DisplayTable } from './DisplayTable';
import { Export } from './Export';
import { Follow } from './Follow';
import { InUse } from './InUse';
import { ProposalProvider } from '../shared/proposal';
import { ProposedChange } from '../shared/ProposedChange';
import { Rest } from './Rest';
import { Revisions } from './Revisions';
import { RoleTable } from './RoleTable';
import { SpaceFacts } from './SpaceFacts';
import { SpaceTable } from './SpaceTable';
import { TargetVersion } from './TargetVersion';
import { Trim } from './Trim';
import { WorkingSpace } from './WorkingSpace';

const LISTS = ['Spaces', 'Roles', 'Views', 'Rest', 'Added', 'Follow', 'Trim', 'Compare two', 'In use?'] as const;

/** The project's config: what it starts from, what was decided, what it holds, and its export. */
export function Config() {
  const config = useConfig();
  const project = useProject();
  const [list, setList] = useState<(typeof LISTS)[number]>('Spaces');
  const [selected, setSelected] = useState<string>();
  return (
    <Loaded of={config}>
      {(data) => {
        const name = selected ?? project.data?.setup.working_space;
        const space = data.spaces.find((candidate) => candidate.name === name) ?? data.spaces[0];
        return (
          <ProposalProvider>
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
              {list === 'Spaces' && <SpaceTable config={data} selected={space?.name} onSelect={setSelected} />}
              {list === 'Roles' && <RoleTable config={data} />}
              {list === 'Views' && <DisplayTable config={data} />}
              {list === 'Rest' && <Rest config={data} />}
              {list === 'Added' && <Additions />}
              {list === 'Follow' && <Follow />}
              {list === 'Trim' && <Trim />}
              {list === 'Compare two' && <CompareTwo config={data} />}
              {list === 'In use?' && <InUse config={data} />}
            </section>
            <section className="column" aria-label="Selected space and export">
              <Export config={data} />
              {space && <SpaceFacts key={space.name} space={space} config={data} />}
            </section>
          </div>
          </ProposalProvider>
        );
      }}
    </Loaded>
  );
}
