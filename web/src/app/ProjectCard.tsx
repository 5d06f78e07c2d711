import { ActionIcon, Button, Menu, Modal, TextInput } from '@mantine/core';
import { IconDots } from '@tabler/icons-react';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';

import { api, body, queryClient, type Schemas, tell } from '../api/client';
import { displayName, shortView } from '../shared/colour';
import { counted, LevelMark } from '../shared/marks';
import classes from './Projects.module.css';
import { dayAndTime } from '../shared/dates';

type Card = Schemas['ProjectCard'];
type Dialog = 'rename' | 'duplicate' | 'delete';

const TITLES: Record<Dialog, { title: string; label: string; action: string }> = {
  rename: { title: 'Rename the project', label: 'New name', action: 'Rename' },
  duplicate: { title: 'Duplicate the project', label: 'Name of the copy', action: 'Duplicate' },
  delete: { title: 'Delete the project', label: 'Type its name to delete it', action: 'Delete' },
};

/** A project in the list: its newest picture, the facts, its findings, and what can be done with it as a whole. */
export function ProjectCard({ card }: { card: Card }) {
  const [dialog, setDialog] = useState<Dialog>();
  const { slug } = card;
  const archive = useMutation({
    mutationFn: (archived: boolean) =>
      body(api.PUT('/api/v1/projects/{slug}/archived', { params: { path: { slug } }, body: { archived } })),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: ['projects'] }),
  });
  const bundle = `/api/v1/projects/${slug}/bundle.zip`;
  return (
    <article className={`card ${classes.card}`} aria-label={card.name}>
      <Link to={`/p/${slug}`} style={{ color: 'inherit', textDecoration: 'none' }}>
        <Picture card={card} />
      </Link>
      <div className="row spread" style={{ alignItems: 'start' }}>
        <Link to={`/p/${slug}`} style={{ color: 'inherit' }}>
          <strong>{card.name}</strong>
        </Link>
        <Menu position="bottom-end" width={220}>
          <Menu.Target>
            <ActionIcon variant="subtle" aria-label={`More for ${card.name}`}>
              <IconDots size={18} />
            </ActionIcon>
          </Menu.Target>
          <Menu.Dropdown>
            <Menu.Item onClick={() => setDialog('rename')}>Rename …</Menu.Item>
            <Menu.Item onClick={() => setDialog('duplicate')}>Duplicate …</Menu.Item>
            <Menu.Item onClick={() => archive.mutate(!card.archived)}>{card.archived ? 'Unarchive' : 'Archive'}</Menu.Item>
            <Menu.Divider />
            <Menu.Item component="a" href={bundle} download>
              Export bundle
            </Menu.Item>
            <Menu.Item component="a" href={`${bundle}?images=true`} download>
              Export bundle with texture files
            </Menu.Item>
            <Menu.Divider />
            <Menu.Item onClick={() => setDialog('delete')}>Delete …</Menu.Item>
          </Menu.Dropdown>
        </Menu>
      </div>
      <p className="quiet small">
        {card.base}
        <br />
        {card.working_space} · {shortView(card.view)} on {displayName(card.display)}
        <br />
        revision {card.revision}, {dayAndTime(card.changed)}
        {card.archived && ' · archived'}
      </p>
      <Findings slug={slug} />
      {dialog && <NameDialog card={card} dialog={dialog} onClose={() => setDialog(undefined)} />}
    </article>
  );
}

/** The newest render through the project's view; the rig where there is none. */
function Picture({ card }: { card: Card }) {
  const address = `/api/v1/projects/${card.slug}`;
  const view = { display: card.display, view: card.view };
  const query = new URLSearchParams({ ...view, size: '512', v: String(card.revision) });
  const source =
    card.render === null
      ? `${address}/rig/picture?${new URLSearchParams({ quick: 'true', v: String(card.revision) })}`
      : `${address}/renders/${card.render}/picture?${query}`;
  return <img className={classes.picture} src={source} alt={`Newest picture of ${card.name}`} loading="lazy" />;
}

function Findings({ slug }: { slug: string }) {
  const counts = useQuery({
    queryKey: [slug, 'card-findings'],
    queryFn: () =>
      body(api.GET('/api/v1/projects/{slug}/findings', { params: { path: { slug }, query: { limit: 1 } } })),
  }).data?.counts;
  if (!counts) return <p className="quiet small">Counting findings …</p>;
  const { blocker = 0, caution = 0, note = 0 } = counts;
  if (blocker + caution + note === 0) return <p className="quiet small">no findings</p>;
  return (
    <p className="row small">
      {blocker > 0 && (
        <>
          <LevelMark level="blocker" /> {counted(blocker, 'blocker')}
        </>
      )}
      {caution > 0 && (
        <>
          <LevelMark level="caution" /> {counted(caution, 'caution')}
        </>
      )}
      {note > 0 && (
        <>
          <LevelMark level="note" /> {counted(note, 'note')}
        </>
      )}
    </p>
  );
}

function NameDialog({ card, dialog, onClose }: { card: Card; dialog: Dialog; onClose: () => void }) {
  const words = TITLES[dialog];
  const [name, setName] = useState({ rename: card.name, duplicate: `${card.name} copy`, delete: '' }[dialog]);
  const path = { params: { path: { slug: card.slug } }, body: { name } as never };
  const change = useMutation<unknown>({
    mutationFn: async () => {
      if (dialog === 'rename') return body(api.PUT('/api/v1/projects/{slug}/name', path));
      if (dialog === 'duplicate') return body(api.POST('/api/v1/projects/{slug}/duplicate', path));
      return body(api.POST('/api/v1/projects/{slug}/delete', path));
    },
    onSuccess: async () => {
      await queryClient.invalidateQueries({ queryKey: ['projects'] });
      if (dialog === 'delete') tell(`${card.name} is deleted. It can be restored for a day, below the list.`);
      onClose();
    },
  });
  return (
    <Modal opened onClose={onClose} title={words.title}>
      <form
        className="block"
        onSubmit={(event) => {
          event.preventDefault();
          change.mutate();
        }}
      >
        {dialog === 'delete' && (
          <p>
            Its running jobs are cancelled. It can be restored for a day; then the project and the files that are only
            its own are gone. Textures in folders of yours stay.
          </p>
        )}
        <TextInput
          label={words.label}
          value={name}
          maxLength={80}
          data-autofocus
          error={change.error?.message}
          onChange={(event) => setName(event.currentTarget.value)}
        />
        <div className="row">
          <Button type="submit" variant="filled" loading={change.isPending} disabled={!name.trim()}>
            {words.action}
          </Button>
          <Button onClick={onClose}>Cancel</Button>
        </div>
      </form>
    </Modal>
  );
}
