import { Button, FileButton, Select } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';

import { api, body, type Schemas, send } from '../api/client';
import { useBuiltins, useProject, useRevisions, useSlug } from '../api/hooks';
import { css, figure } from '../shared/colour';

type Comparison = Schemas['ConfigComparison'];

const VERDICTS: Record<Comparison['verdict'], string> = {
  identical: 'They are identical, to the byte.',
  'same meaning': 'They mean the same: every space and view gives the same colours, whatever its name.',
  different: 'They are different.',
};
const CURRENT = 'the file that was brought';

/** Any two configs, compared by what they do to colours; and whether an application's config is this one. */
export function CompareTwo() {
  const slug = useSlug();
  const project = useProject();
  const revisions = useRevisions();
  const builtins = useBuiltins();
  const number = project.data?.revision.number ?? 1;
  const [first, setFirst] = useState(project.data?.setup.base ?? `revision:${number}`);
  const [second, setSecond] = useState(`revision:${number}`);
  const [compared, setCompared] = useState<string[]>([]);
  const compare = useMutation({
    mutationFn: (file?: File) =>
      file
        ? send<Comparison>(`/api/projects/${slug}/compare-file`, { file })
        : body(
            api.POST('/api/projects/{slug}/compare-configs', { params: { path: { slug } }, body: { first, second } }),
          ),
    onSuccess: (_, file) =>
      setCompared(file ? [`revision ${number}`, file.name || CURRENT] : [label(first), label(second)]),
  });
  const data = [
    {
      group: 'Revisions',
      items: (revisions.data ?? []).map((revision) => ({
        value: `revision:${revision.number}`,
        label: `revision ${revision.number}, ${revision.message}`,
      })),
    },
    {
      group: 'Built into the OCIO library',
      items: (builtins.data ?? []).map(({ name }) => ({ value: `builtin:${name}`, label: name })),
    },
  ];
  return (
    <>
      <div className="row wrap" style={{ alignItems: 'flex-end' }}>
        <Select label="First" searchable data={data} value={first} onChange={(name) => name && setFirst(name)} w={230} />
        <Select label="Second" searchable data={data} value={second} onChange={(name) => name && setSecond(name)} w={230} />
        <Button variant="filled" loading={compare.isPending} onClick={() => compare.mutate(undefined)}>
          Compare
        </Button>
      </div>
      <div className="row">
        <FileButton onChange={(file) => file && compare.mutate(file)} accept=".ocio,.ocioz,.zip,.yaml,.yml">
          {(props) => (
            <Button {...props} loading={compare.isPending}>
              Is this file the project’s config?
            </Button>
          )}
        </FileButton>
        <span className="quiet small">Bring the config that an application uses. It is looked at, not kept.</span>
      </div>
      {compare.isPending && (
        <p role="status" className="quiet">
          Sending 4,296 colours through every space and view of both. This takes some seconds.
        </p>
      )}
      {compare.data && !compare.isPending && <Result comparison={compare.data} names={compared} />}
    </>
  );
}

const label = (name: string) => name.replace('revision:', 'revision ').replace('builtin:', '');

function Result({ comparison, names }: { comparison: Comparison; names: string[] }) {
  return (
    <div className="block" role="status" aria-label="Comparison">
      <h3>{VERDICTS[comparison.verdict]}</h3>
      <p className="quiet small">
        From {names[0]} to {names[1]}.
      </p>
      {comparison.differences.length > 0 && (
        <table className="list">
          <thead>
            <tr>
              <th>What</th>
              <th>Name</th>
              <th>Largest, mean</th>
              <th>Worst at</th>
            </tr>
          </thead>
          <tbody>
            {comparison.differences.map((row) => (
              <tr key={`${row.kind} ${row.what} ${row.name}`}>
                <td className="quiet">
                  {row.what} {row.kind}
                </td>
                <td>{row.kind === 'renamed' || row.what === 'default view' ? `${row.name} → ${row.other}` : row.name}</td>
                <td className="mono small">{row.metric && `${figure(row.largest)}, ${figure(row.mean)} ${row.metric}`}</td>
                <td className="mono small">
                  {row.worst && (
                    <span className="row">
                      <span className="disc" style={{ background: css(row.worst), height: 20, width: 20 }} />
                      {row.worst.map((value) => figure(value)).join(' ')}
                    </span>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
