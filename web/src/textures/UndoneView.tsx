import { Button } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { type Texture, useChange, useProject, useSlug, type ViewChoice } from '../api/hooks';
import { LevelMark } from '../shared/marks';
import { ViewPair } from '../shared/ViewSelects';
import classes from './Textures.module.css';

/** What a view showed, decoded by undoing it: offered for plates, and warned of for materials. */
export function UndoneView({ texture, detail }: { texture: Texture; detail: Schemas['TextureDetail'] }) {
  const project = useProject();
  const [choice, setChoice] = useState<ViewChoice>();
  if (detail.kind?.group === 'data' || !project.data) return null;
  const isPlate = detail.kind?.group === 'light';
  return (
    <details className={classes.words} open={isPlate && texture.bit_depth.endsWith('-bit')}>
      <summary>Through the inverse of a view</summary>
      <div className="block">
        <p className="quiet small">
          For a picture of what a display showed, such as a finished plate: undone, it looks as it did behind the render.
        </p>
        <ViewPair label="undone" choice={choice ?? project.data.setup.view} onChange={setChoice} />
        <Undone texture={texture} version={detail.version} choice={choice ?? project.data.setup.view} />
      </div>
    </details>
  );
}

function Undone({ texture, version, choice }: { texture: Texture; version: number; choice: ViewChoice }) {
  const slug = useSlug();
  const { display, view } = choice;
  const path = { slug, id: texture.id };
  const undone = useQuery({
    queryKey: [slug, 'undone', texture.id, display, view],
    queryFn: () =>
      body(api.GET('/api/v1/projects/{slug}/textures/{id}/undone', { params: { path, query: { display, view } } })),
    retry: false,
  });
  const read = useChange((asked) =>
    body(
      api.POST('/api/v1/projects/{slug}/textures/{id}/read-undone', {
        params: { path: { slug: asked, id: texture.id } },
        body: { based_on: version, display, view },
      }),
    ),
  );
  if (undone.error) return <p role="alert">{undone.error.message}</p>;
  if (!undone.data) return <p className="quiet small">Undoing the view …</p>;
  const picture =
    `/api/v1/projects/${slug}/textures/${texture.id}/picture?` +
    new URLSearchParams({ display, view, size: '320', v: texture.thumbnail });
  return (
    <div className="block">
      <figure className={`plate ${classes.single}`} style={{ margin: 0 }}>
        <img src={picture} alt={`${texture.path} decoded through the inverse of ${view}`} />
      </figure>
      <p className="row small" style={{ alignItems: 'flex-start' }}>
        {!undone.data.right && <LevelMark level="caution" />}
        <span>{undone.data.says}</span>
      </p>
      <div>
        <Button
          variant={undone.data.right ? 'filled' : 'default'}
          onClick={() => read.mutate(undefined)}
          loading={read.isPending}
        >
          Read it through the inverse of this view
        </Button>
      </div>
    </div>
  );
}
