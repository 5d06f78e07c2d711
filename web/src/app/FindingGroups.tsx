import { Button } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { type Finding, useChange, useFindingPages, useProject, useSlug } from '../api/hooks';
import { ChangeList } from '../shared/ChangeList';
import { Dismiss } from '../shared/Dismiss';
import { FindingCard } from '../shared/FindingCard';
import { counted, LevelMark } from '../shared/marks';
import { Loaded } from '../shared/states';
import classes from './Tray.module.css';

type Group = Schemas['Group'];

/** All findings of the project by their cause, worst first; then those that are dismissed. */
export function FindingGroups() {
  const slug = useSlug();
  const groups = useQuery({
    queryKey: [slug, 'finding-groups'],
    queryFn: () => body(api.GET('/api/v1/projects/{slug}/finding-groups', { params: { path: { slug } } })),
  });
  return (
    <>
      <Loaded of={groups}>
        {(listed) =>
          listed.length === 0 ? (
            <p className="quiet">No findings.</p>
          ) : (
            listed.map((group) =>
              group.count === 1 ? (
                <Cards key={group.code} code={group.code} />
              ) : (
                <FindingGroup key={group.code} group={group} />
              ),
            )
          )
        }
      </Loaded>
      <Dismissed />
    </>
  );
}

function FindingGroup({ group }: { group: Group }) {
  const [open, setOpen] = useState(false);
  return (
    <section className={`finding ${group.level}`} aria-label={group.title}>
      <button className={`bare ${classes.group}`} aria-expanded={open} onClick={() => setOpen(!open)}>
        <LevelMark level={group.level as Finding['level']} />
        <span className={classes.title}>{group.title}</span>
        <span className="mono small">{group.count.toLocaleString('en-GB')}</span>
        <span className="quiet small">{open ? 'Hide' : 'Show'}</span>
      </button>
      {open && (
        <>
          <FixAll group={group} />
          <Cards code={group.code} />
          <div>
            <Dismiss finding={{ code: group.code, subject: '', title: group.title }} all />
          </div>
        </>
      )}
    </section>
  );
}

/** Fix all findings of a kind, once it was seen what would change. */
function FixAll({ group }: { group: Group }) {
  const slug = useSlug();
  const based_on = useProject().data?.revision.number ?? 0;
  const preview = useQuery({
    queryKey: [slug, 'fix-all', group.code],
    queryFn: () =>
      body(
        api.GET('/api/v1/projects/{slug}/fix-all-preview', { params: { path: { slug }, query: { code: group.code } } }),
      ),
    retry: false,
  });
  const fix = useChange((of) =>
    body(api.POST('/api/v1/projects/{slug}/fix-all', { params: { path: { slug: of } }, body: { code: group.code, based_on } })),
  );
  if (preview.error) return null; // none of them can be fixed from here: each card says what to do
  const found = preview.data;
  if (!found) return <p className="quiet small">Working out what fixing all of them would change …</p>;
  return (
    <div className="block">
      <ChangeList
        changes={found.changes}
        of={found.changes.length + found.others}
        label={`What fixing all changes: ${group.title}`}
      />
      <div className="row">
        <Button variant="filled" loading={fix.isPending} onClick={() => fix.mutate(undefined)}>
          Fix {(group.count - found.left).toLocaleString('en-GB')} of {group.count.toLocaleString('en-GB')}
        </Button>
        {found.left > 0 && <span className="quiet small">{counted(found.left, 'finding')} cannot be fixed together.</span>}
      </div>
    </div>
  );
}

function Cards({ code }: { code: string }) {
  const pages = useFindingPages(code);
  const total = pages.data?.pages[0]?.total ?? 0;
  const found = pages.data?.pages.flatMap((page) => page.findings) ?? [];
  return (
    <Loaded of={pages}>
      {() => (
        <>
          {found.map((finding) => (
            <FindingCard key={finding.code + finding.subject} finding={finding} withSubject />
          ))}
          {pages.hasNextPage && (
            <Button loading={pages.isFetchingNextPage} onClick={() => void pages.fetchNextPage()}>
              Show more of {total.toLocaleString('en-GB')}
            </Button>
          )}
        </>
      )}
    </Loaded>
  );
}

/** Findings that somebody has set aside, with the reason. */
function Dismissed() {
  const project = useProject();
  const dismissed = project.data?.setup.dismissed ?? [];
  const based_on = project.data?.revision.number ?? 0;
  const restore = useChange((slug, { code, subject }: Schemas['Dismissal']) =>
    body(
      api.POST('/api/v1/projects/{slug}/dismiss/restore', { params: { path: { slug } }, body: { code, subject, based_on } }),
    ),
  );
  if (dismissed.length === 0) return null;
  return (
    <section className="block" aria-label="Dismissed findings">
      <h2>Dismissed</h2>
      {dismissed.map((one) => (
        <div key={one.code + one.subject} className="row spread" style={{ alignItems: 'flex-start' }}>
          <span style={{ minWidth: 0 }}>
            {one.title}
            {!one.subject && ', all of them'}
            {one.subject && (
              <span className="mono small" style={{ display: 'block', overflowWrap: 'anywhere' }}>
                {one.subject}
              </span>
            )}
            <span className="quiet small" style={{ display: 'block' }}>
              {one.reason}
              {one.author && `, ${one.author}`}
            </span>
          </span>
          <Button size="compact-xs" onClick={() => restore.mutate(one)} loading={restore.isPending}>
            Restore
          </Button>
        </div>
      ))}
    </section>
  );
}
