import { api, body } from '../api/client';
import { isBusy, type Job, useChange, useJobs } from '../api/hooks';
import { Progressing } from '../shared/Progressing';
import { Loaded } from '../shared/states';
import { FindingGroups } from './FindingGroups';

/** All findings of the project, and its background jobs. */
export function Tray() {
  const jobs = useJobs();
  return (
    <div className="block" style={{ gap: 12 }}>
      <FindingGroups />
      <h2>Jobs</h2>
      <Loaded of={jobs}>
        {(listed) =>
          listed.length === 0 ? (
            <p className="quiet">None yet. Outputs are made here.</p>
          ) : (
            listed.slice(0, 8).map((job) => <JobCard key={job.id} job={job} />)
          )
        }
      </Loaded>
    </div>
  );
}

/** A job with its progress, its end in words, and a way to stop it. */
export function JobCard({ job }: { job: Job }) {
  const cancel = useChange((slug, pk: number) =>
    body(api.POST('/api/v1/projects/{slug}/jobs/{id}/cancel', { params: { path: { slug, id: pk } } })),
  );
  return (
    <div className="card block">
      <div className="row spread">
        <span className="ellipsis">{job.title}</span>
        <span className="quiet small">{job.state}</span>
      </div>
      {isBusy(job) && (
        <Progressing
          share={job.share}
          doing={job.message || 'waiting for the worker'}
          onCancel={() => cancel.mutate(job.id)}
        />
      )}
      {!isBusy(job) && job.message && <p className="small">{job.message}</p>}
    </div>
  );
}
