import { Button } from '@mantine/core';
import { useEffect } from 'react';

import { api, body, type Schemas } from '../api/client';
import {
  isBusy,
  type Output,
  useDeliverables,
  useJobs,
  useOutputs,
  useRenders,
  useSlug,
} from '../api/hooks';
import { JobCard } from '../app/Tray';
import { FirstRender } from '../scene/FirstRender';
import { Facts } from '../shared/Facts';
import { Empty, Loaded } from '../shared/states';
import { useRemoval } from '../shared/useUndo';
import { useRemembered } from '../shared/remembered';
import { FoldingColumn } from '../shared/Fold';
import { OutputForm } from './OutputForm';
import { Looked } from './Looked';
import { OutputFrames, SHOWN } from './OutputFrames';
import { Recipes } from './Recipes';
import { Verify } from './Verify';

const VIDEO = /\.mp4$/;

/** Files that leave the project: made as jobs, listed with what was read back from them. */
export function Outputs() {
  const renders = useRenders();
  const outputs = useOutputs();
  const jobs = useJobs();
  const kinds = useDeliverables();
  const [chosen, setChosen] = useRemembered<number | undefined>('selected output', undefined);
  const busyJobs = jobs.data?.filter(isBusy).length;
  const slug = useSlug();
  const { refetch } = outputs;
  useEffect(() => void refetch(), [busyJobs, refetch]);
  const selected = outputs.data?.find(({ id }) => id === chosen) ?? outputs.data?.[0];
  return (
    <div className="columns">
      <section className="column" aria-label="New output">
        <Loaded of={renders}>
          {(listed) =>
            listed.length === 0 ? (
              <FirstRender what="Outputs are made from a render." />
            ) : (
              <OutputForm renders={listed} onMade={setChosen} />
            )
          }
        </Loaded>
      </section>
      <section className="column" aria-label="Outputs">
        <Looked renders={renders.data ?? []} />
        <Recipes renders={renders.data ?? []} onChosen={setChosen} />
        <div className="row spread">
          <h2>Outputs</h2>
          {outputs.data?.some(({ done }) => done) && (
            <Button
              component="a"
              size="xs"
              variant="subtle"
              href={`/api/v1/projects/${slug}/delivery-note`}
              target="_blank"
              title="What was delivered, with tags and hashes, to print on A4"
            >
              Delivery note
            </Button>
          )}
        </div>
        <Loaded of={outputs}>
          {(listed) =>
            listed.length === 0 ? (
              <Empty>No outputs yet.</Empty>
            ) : (
              <table className="list picking">
                <thead>
                  <tr>
                    <th>File</th>
                    <th>Kind</th>
                    <th>From</th>
                    <th />
                  </tr>
                </thead>
                <tbody>
                  {listed.map((output) => (
                    <tr
                      key={output.id}
                      aria-selected={output.id === selected?.id}
                      onClick={() => setChosen(output.id)}
                    >
                      <td style={{ overflowWrap: 'anywhere' }}>
                        <button className="bare" onClick={() => setChosen(output.id)}>
                          {output.name}
                        </button>
                      </td>
                      <td className="quiet">{kinds.data?.find(({ kind }) => kind === output.kind)?.label ?? output.kind}</td>
                      <td className="quiet small">revision {output.revision}</td>
                      <td style={{ textAlign: 'right' }}>
                        <OutputState output={output} job={jobs.data?.find(({ id }) => id === output.job?.id)} />
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )
          }
        </Loaded>
        <Verify />
      </section>
      <FoldingColumn label="Selected output" guide="guide/outputs">
        {selected ? (
          <OutputFacts output={selected} job={jobs.data?.find(({ id }) => id === selected.job?.id)} />
        ) : (
          <Empty>What is in an output is read back from the file and shown here.</Empty>
        )}
      </FoldingColumn>
    </div>
  );
}

type JobState = Schemas['Job'] | undefined;

function OutputState({ output, job }: { output: Output; job: JobState }) {
  const slug = useSlug();
  const running = job ?? output.job;
  if (output.done && !(running && isBusy(running))) {
    return (
      <Button
        component="a"
        size="compact-xs"
        href={`/api/v1/projects/${slug}/outputs/${output.id}/file`}
        download
        aria-label={`Save ${output.name}`}
      >
        {output.frames ? `Save ${output.frames.made}` : 'Save'}
      </Button>
    );
  }
  const state = job ?? output.job;
  if (state && isBusy(state)) return <span className="mono small">{Math.round(state.share * 100)} %</span>;
  return <span className="quiet small">{state?.state ?? 'not made'}</span>;
}

function OutputFacts({ output, job }: { output: Output; job: JobState }) {
  const slug = useSlug();
  const remove = useRemoval((slug) =>
    body(api.DELETE('/api/v1/projects/{slug}/outputs/{id}', { params: { path: { slug, id: output.id } } })),
    output.name,
  );
  const state = job ?? output.job;
  return (
    <>
      <h2 style={{ overflowWrap: 'anywhere' }}>{output.name}</h2>
      {!output.done && state && <JobCard job={state} />}
      {output.frames && <OutputFrames output={output} busy={state ? isBusy(state) : false} />}
      {output.done && !output.frames && SHOWN.test(output.name) && (
        <div className="plate">
          <img src={`/api/v1/projects/${slug}/outputs/${output.id}/file`} alt={output.name} />
        </div>
      )}
      {output.done && VIDEO.test(output.name) && (
        <div className="plate">
          <video
            src={`/api/v1/projects/${slug}/outputs/${output.id}/file`}
            controls
            loop
            aria-label={output.name}
            style={{ display: 'block', width: '100%' }}
          />
        </div>
      )}
      <p className="quiet small">
        {output.done ? 'Read back from the written file.' : 'What was asked for.'} Made from {output.made_from}.
      </p>
      <Facts facts={output.facts} />
      <div>
        <Button
          variant="subtle"
          size="compact-xs"
          disabled={state ? isBusy(state) : false}
          loading={remove.isPending}
          onClick={() => remove.mutate(undefined)}
        >
          Delete this output
        </Button>
      </div>
    </>
  );
}
