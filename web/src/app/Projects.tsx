import { Button, Checkbox, FileButton, Select, TextInput } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, Navigate, useNavigate, useSearchParams } from 'react-router';

import { api, body, queryClient, type Schemas, send } from '../api/client';
import { Loaded } from '../shared/states';
import { ProjectCard } from './ProjectCard';
import classes from './Projects.module.css';

const LAST = 'saltwort.last-project';

type Card = Schemas['ProjectCard'];

const ORDERS: Record<string, (one: Card, other: Card) => number> = {
  'Last changed': (one, other) => other.changed.localeCompare(one.changed),
  Name: (one, other) => one.name.localeCompare(other.name, 'en'),
};

/** Keep which project to open next time. */
export const remember = (slug: string) => localStorage.setItem(LAST, slug);

/** Opens the project last worked on; where there is none, or with `?all`, lists them. */
export function Projects() {
  const [search] = useSearchParams();
  const projects = useQuery({ queryKey: ['projects'], queryFn: () => body(api.GET('/api/v1/projects')) });
  return (
    <Loaded of={projects}>
      {(listed) => {
        const last = listed.find(({ slug, deleted }) => slug === localStorage.getItem(LAST) && !deleted);
        if (last && !search.has('all')) return <Navigate to={`/p/${last.slug}`} replace />;
        return <ProjectList listed={listed} />;
      }}
    </Loaded>
  );
}

function ProjectList({ listed }: { listed: Card[] }) {
  const [sought, setSought] = useState('');
  const [order, setOrder] = useState('Last changed');
  const [archived, setArchived] = useState(false);
  const words = sought.trim().toLowerCase();
  const there = listed.filter(({ deleted }) => !deleted);
  const shown = there
    .filter((card) => archived || !card.archived)
    .filter((card) => `${card.name} ${card.base} ${card.working_space} ${card.view}`.toLowerCase().includes(words))
    .sort(ORDERS[order]);
  const deleted = listed.filter((card) => card.deleted);
  return (
    <main className={classes.page}>
      <div className="row spread">
        <h1>Projects</h1>
        <span className="row">
          <ImportBundle />
          <Button variant="filled" component={Link} to="/new">
            Start a project
          </Button>
        </span>
      </div>
      <div className="row wrap" style={{ alignItems: 'flex-end' }}>
        <TextInput
          aria-label="Find a project"
          placeholder="Find by name, config, space or view"
          value={sought}
          onChange={(event) => setSought(event.currentTarget.value)}
          style={{ flex: 1, minWidth: 200 }}
        />
        <Select
          aria-label="Order"
          w={150}
          allowDeselect={false}
          data={Object.keys(ORDERS)}
          value={order}
          onChange={(chosen) => chosen && setOrder(chosen)}
        />
        {there.some((card) => card.archived) && (
          <Checkbox
            size="xs"
            color="neutral"
            label="Show archived"
            checked={archived}
            onChange={(event) => setArchived(event.currentTarget.checked)}
          />
        )}
      </div>
      <div className={classes.cards}>
        {shown.map((card) => (
          <ProjectCard key={card.slug} card={card} />
        ))}
      </div>
      {there.length === 0 && <p className="quiet">No projects yet. Start the first one, or import a bundle.</p>}
      {there.length > 0 && shown.length === 0 && <p className="quiet">No matches.</p>}
      <NewProject />
      {deleted.length > 0 && <Deleted listed={deleted} />}
    </main>
  );
}

/** Projects that were deleted, for as long as they can be restored. */
function Deleted({ listed }: { listed: Card[] }) {
  const restore = useMutation({
    mutationFn: (slug: string) => body(api.POST('/api/v1/projects/{slug}/restore', { params: { path: { slug } } })),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: ['projects'] }),
  });
  return (
    <section className="block" aria-label="Deleted projects">
      <h2>
        Deleted <span className="quiet small">can be restored for a day</span>
      </h2>
      {listed.map((card) => (
        <div key={card.slug} className="row spread">
          <span>{card.name}</span>
          <Button size="compact-xs" loading={restore.isPending} onClick={() => restore.mutate(card.slug)}>
            Restore
          </Button>
        </div>
      ))}
    </section>
  );
}

function ImportBundle() {
  const navigate = useNavigate();
  const importFile = useMutation({
    mutationFn: (file: File) => send<Schemas['Project']>('/api/v1/bundles', { file }),
    onSuccess: async (project) => {
      await queryClient.invalidateQueries({ queryKey: ['projects'] });
      void navigate(`/p/${project.slug}`);
    },
  });
  return (
    <span className="row">
      {importFile.isPending && (
        <span role="status" className="quiet small">
          Importing the bundle. Its pictures are measured; this can take a while.
        </span>
      )}
      <FileButton onChange={(file) => file && importFile.mutate(file)} accept=".zip">
        {(props) => (
          <Button {...props} loading={importFile.isPending}>
            Import a bundle
          </Button>
        )}
      </FileButton>
    </span>
  );
}

function NewProject() {
  const navigate = useNavigate();
  const [name, setName] = useState('');
  const create = useMutation({
    mutationFn: () => body(api.POST('/api/v1/projects', { body: { name } as never })),
    onSuccess: (project) => void navigate(`/p/${project.slug}`),
  });
  return (
    <form
      className="row"
      style={{ alignItems: 'flex-end', maxWidth: 460 }}
      onSubmit={(event) => {
        event.preventDefault();
        create.mutate();
      }}
    >
      <TextInput
        label="New project"
        placeholder="Name of the show or film"
        value={name}
        maxLength={80}
        onChange={(event) => setName(event.currentTarget.value)}
        error={create.error?.message}
        style={{ flex: 1 }}
      />
      <Button type="submit" variant="filled" loading={create.isPending} disabled={!name.trim()}>
        Create project
      </Button>
    </form>
  );
}
