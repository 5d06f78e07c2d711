import { Button, Select } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';

import { api, body } from '../api/client';
import { type Config, useBuiltins, useProject, useRevisions, useSlug } from '../api/hooks';
import { useRemembered } from '../shared/remembered';
import { ConfigComparison } from './ConfigComparison';

/** Any two configs, compared by what they do to colours. */
export function CompareTwo({ config }: { config: Config }) {
  const slug = useSlug();
  const project = useProject();
  const revisions = useRevisions();
  const builtins = useBuiltins();
  const number = project.data?.revision.number ?? 1;
  const base = project.data?.setup.base ?? '';
  const [first, setFirst] = useRemembered('compare first', base || `revision:${number}`);
  const [second, setSecond] = useRemembered('compare second', `revision:${number}`);
  const [compared, setCompared] = useState<string[]>([]);
  const compare = useMutation({
    mutationFn: () =>
      body(api.POST('/api/v1/projects/{slug}/compare-configs', { params: { path: { slug } }, body: { first, second } })),
    onSuccess: () => setCompared([first, second].map(label)),
  });
  const data = [
    {
      group: 'Revisions',
      items: (revisions.data ?? []).map((revision) => ({
        value: `revision:${revision.number}`,
        label: `revision ${revision.number}, ${revision.message}`,
      })),
    },
    ...(base.startsWith('sha256:') ? [{ group: 'Imported', items: [{ value: base, label: config.base }] }] : []),
    {
      group: 'Built into the OCIO library',
      items: (builtins.data ?? []).map(({ name }) => ({ value: `builtin:${name}`, label: name })),
    },
  ];
  const label = (name: string) =>
    name === base ? config.base : name.replace('revision:', 'revision ').replace('builtin:', '');
  return (
    <>
      <div className="row wrap" style={{ alignItems: 'flex-end' }}>
        <Select label="First" searchable data={data} value={first} onChange={(name) => name && setFirst(name)} w={230} />
        <Select label="Second" searchable data={data} value={second} onChange={(name) => name && setSecond(name)} w={230} />
        <Button variant="filled" loading={compare.isPending} onClick={() => compare.mutate()}>
          Compare
        </Button>
      </div>
      <ConfigComparison of={compare} names={compared} />
    </>
  );
}
