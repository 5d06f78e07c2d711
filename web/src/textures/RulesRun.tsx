import { Button, Loader } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';

import { api, body } from '../api/client';
import { useProject, useSlug } from '../api/hooks';
import { ChangeList } from '../shared/ChangeList';
import { FindingLine } from '../shared/FindingLine';
import { counted } from '../shared/marks';
import { usePins } from './usePins';
import { useSummary } from './useSummary';

/** What the rules would say of files whose pins are taken away; then, if wanted, they are. */
export function RulesRun({ ids, onClose }: { ids: number[]; onClose: () => void }) {
  const slug = useSlug();
  const project = useProject();
  const { pin, isPending } = usePins();
  const summary = useSummary(ids);
  const pinned = summary.data?.pinned ?? [];
  const preview = useQuery({
    queryKey: [slug, 'run-rules', project.data?.revision.number, ids, pinned],
    queryFn: () =>
      body(
        api.POST('/api/v1/projects/{slug}/textures/run-rules', { params: { path: { slug } }, body: { textures: ids } }),
      ),
  });
  const data = preview.data;
  return (
    <section className="card chosen block" aria-label="Rules applied again">
      <div className="row spread">
        <h3>Rules on {counted(data?.asked ?? ids.length, 'file')}</h3>
        <Button size="compact-xs" onClick={onClose}>
          Close
        </Button>
      </div>
      {preview.isPending && (
        <p role="status" className="row quiet">
          <Loader size="xs" color="neutral" /> Applying the rules …
        </p>
      )}
      {preview.error && <p role="alert">{preview.error.message}</p>}
      {data?.pins === 0 && <p>None of them is set by hand: each already follows the rules.</p>}
      {data !== undefined && data.pins > 0 && (
        <>
          <p>
            {counted(data.pins, 'file')} would follow the rules again
            {data.files === 0 ? ', and every file still read in the same space.' : ', and these read differently:'}
          </p>
          <ChangeList changes={data.textures} of={data.files} label="Files read differently" />
          {data.new_findings.map((finding) => (
            <FindingLine key={finding.code + finding.subject} finding={finding} word="new" />
          ))}
          {data.gone_findings.map((finding) => (
            <FindingLine key={finding.code + finding.subject} finding={finding} word="settled" />
          ))}
          <div className="row">
            <Button variant="filled" loading={isPending} onClick={() => pin(pinned, '', '', onClose)}>
              Back to the rules
            </Button>
            <Button onClick={onClose}>Cancel</Button>
          </div>
        </>
      )}
    </section>
  );
}
