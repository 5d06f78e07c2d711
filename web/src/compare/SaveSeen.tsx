import { Button, Popover, Textarea, TextInput } from '@mantine/core';
import { useDisclosure } from '@mantine/hooks';
import { useMutation, useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';

import { api, body, type Schemas } from '../api/client';
import { useChange, useProject, useSlug } from '../api/hooks';
import { useRemoval } from '../shared/useUndo';
import { useRemembered } from '../shared/remembered';
import classes from './Compare.module.css';
import { asPage, asPng, download } from './saving';

/** The comparisons that were kept in the project. */
export function useKept() {
  const slug = useSlug();
  return useQuery({
    queryKey: [slug, 'kept-comparisons'],
    queryFn: () => body(api.GET('/api/v1/projects/{slug}/kept-comparisons', { params: { path: { slug } } })),
  });
}

/** Save what is seen: as a PNG, as a page, or in the project under a link that stays. */
export function SaveSeen({
  table,
  mode,
  state,
}: {
  table: () => HTMLElement | null;
  /** What the table shows, in words. */
  mode: string;
  state: Schemas['KeptState'];
}) {
  const slug = useSlug();
  const project = useProject();
  const [opened, { toggle, close }] = useDisclosure();
  const [name, setName] = useRemembered('comparison name', '');
  const [notes, setNotes] = useRemembered('comparison notes', '');
  const kept = useKept();
  const title = name.trim() || `${project.data?.name ?? ''}: ${mode}`;
  const facts = `${project.data?.name ?? ''}, revision ${project.data?.revision.number}, working space ${project.data?.setup.working_space}. ${new Date().toLocaleDateString('en-GB')}.`;
  const save = useMutation({
    mutationFn: async (kind: 'png' | 'html') => {
      const found = table();
      if (!found) return;
      const blob = kind === 'png' ? await asPng(found, `${title}. ${facts}`) : await asPage(found, title, facts, notes);
      download(blob, `${slug}-${mode.toLowerCase().replaceAll(' ', '-')}.${kind}`);
    },
  });
  const keep = useChange((of, asked: { name: string; notes: string; state: Schemas['KeptState'] }) =>
    body(api.POST('/api/v1/projects/{slug}/kept-comparisons', { params: { path: { slug: of } }, body: asked })),
  );
  const drop = useRemoval(
    (of, id: number) =>
      body(api.DELETE('/api/v1/projects/{slug}/kept-comparisons/{id}', { params: { path: { slug: of, id } } })),
    'Comparison',
  );
  return (
    <Popover opened={opened} onChange={(open) => !open && close()} width={320} position="bottom-end" trapFocus returnFocus>
      <Popover.Target>
        <Button size="compact-xs" aria-expanded={opened} onClick={toggle}>
          Save and keep
        </Button>
      </Popover.Target>
      <Popover.Dropdown>
        <div className="block" role="group" aria-label="Save and keep">
          <TextInput label="Title" placeholder={title} value={name} maxLength={100} onChange={(event) => setName(event.currentTarget.value)} />
          <Textarea label="Notes" autosize minRows={2} maxRows={6} maxLength={10_000} value={notes} onChange={(event) => setNotes(event.currentTarget.value)} />
          <div className="row">
            <Button size="xs" loading={save.isPending && save.variables === 'png'} onClick={() => save.mutate('png')}>
              As a PNG
            </Button>
            <Button size="xs" loading={save.isPending && save.variables === 'html'} onClick={() => save.mutate('html')}>
              As a page
            </Button>
            <Button
              size="xs"
              variant="filled"
              loading={keep.isPending}
              onClick={() => keep.mutate({ name: title, notes, state }, { onSuccess: () => { setName(''); setNotes(''); } })}
            >
              Keep here
            </Button>
          </div>
          {save.error && <p role="alert">{save.error.message}</p>}
          <p className="quiet small">Files hold what the table shows now, with captions; a page holds the notes too.</p>
          {(kept.data?.length ?? 0) > 0 && (
            <>
              <h3>Kept in this project</h3>
              <ul className={classes.kept} aria-label="Kept comparisons">
                {kept.data?.map((one) => (
                  <li key={one.id} className="row spread">
                    <Link to={`/p/${slug}/compare?kept=${one.id}`} onClick={close}>
                      {one.name}
                    </Link>
                    <span className="row small quiet">
                      revision {one.revision}
                      <Button size="compact-xs" variant="subtle" aria-label={`Delete ${one.name}`} onClick={() => drop.mutate(one.id)}>
                        ×
                      </Button>
                    </span>
                  </li>
                ))}
              </ul>
            </>
          )}
        </div>
      </Popover.Dropdown>
    </Popover>
  );
}
