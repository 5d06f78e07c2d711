import { Button, TextInput } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, Navigate, useNavigate, useSearchParams } from 'react-router';

import { api, body } from '../api/client';
import { Loaded } from '../shared/states';

const LAST = 'saltwort.last-project';

/** Keep which project to open next time. */
export const remember = (slug: string) => localStorage.setItem(LAST, slug);

/** Opens the project last worked on; with `?all`, lists them. */
export function Projects() {
  const [search] = useSearchParams();
  const projects = useQuery({ queryKey: ['projects'], queryFn: () => body(api.GET('/api/v1/projects')) });
  return (
    <Loaded of={projects}>
      {(listed) => {
        const last = listed.find((project) => project.slug === localStorage.getItem(LAST)) ?? listed[0];
        if (last && !search.has('all')) return <Navigate to={`/p/${last.slug}`} replace />;
        return (
          <main className="column" style={{ margin: '8vh auto', maxWidth: 460 }}>
            <h1>Projects</h1>
            {listed.map((project) => (
              <Link key={project.slug} to={`/p/${project.slug}`} className="card" style={{ color: 'inherit' }}>
                {project.name}
              </Link>
            ))}
            {listed.length === 0 && <p className="quiet">No projects yet. Create the first one.</p>}
            <NewProject />
          </main>
        );
      }}
    </Loaded>
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
      style={{ alignItems: 'flex-end' }}
      onSubmit={(event) => {
        event.preventDefault();
        create.mutate();
      }}
    >
      <TextInput
        label="New project"
        placeholder="Name of the show or film"
        value={name}
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
