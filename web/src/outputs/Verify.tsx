import { Button, FileButton, Select } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';

import { type Schemas, send } from '../api/client';
import { useDeliverables, useRecipes, useRenders, useSlug } from '../api/hooks';
import { Facts } from '../shared/Facts';
import { Fold } from '../shared/Fold';
import { LevelMark } from '../shared/marks';
import { useFrameRange } from './FramesField';

type Verified = Schemas['Verified'];

/** Look at a finished file from anywhere: what it says of itself, and whether its pixels fit that. */
export function Verify() {
  const slug = useSlug();
  const recipes = useRecipes();
  const [recipe, setRecipe] = useState('');
  const [render, setRender] = useState('');
  const [frames] = useFrameRange();
  const renders = useRenders();
  const kinds = useDeliverables();
  const verifying = new Set(kinds.data?.filter(({ verifies }) => verifies).map(({ kind }) => kind));
  const known = recipes.data?.filter(({ kind }) => verifying.has(kind)) ?? [];
  const kind = kinds.data?.find((each) => each.kind === known.find(({ name }) => name === recipe)?.kind);
  const offered = kind?.compares ? (renders.data ?? []).filter(({ sequence }) => sequence || kind.takes !== 'frames') : [];
  const used = offered.find(({ id }) => String(id) === render);
  const verify = useMutation({
    mutationFn: (file: File) =>
      send<Verified>(`/api/v1/projects/${slug}/verify`, {
        file,
        recipe,
        ...(used && { render: String(used.id), frames: used.sequence ? frames : '' }),
      }),
  });
  return (
    <Fold title="Verify a file" guide="guide/outputs/verify" open={false}>
      <p className="quiet small">A picture, video, LUT or ICC profile from anywhere. It is looked at and not kept.</p>
      <div className="row wrap" style={{ alignItems: 'flex-end' }}>
        {known.length > 0 && (
          <Select
            size="xs"
            label="Against"
            data={[{ value: '', label: 'no recipe' }, ...known.map(({ name }) => ({ value: name, label: name }))]}
            value={recipe}
            allowDeselect={false}
            onChange={(name) => setRecipe(name ?? '')}
          />
        )}
        {offered.length > 0 && (
          <Select
            size="xs"
            label="Made of"
            data={[{ value: '', label: 'any render' }, ...offered.map(({ id, name }) => ({ value: String(id), label: name }))]}
            value={used ? render : ''}
            allowDeselect={false}
            onChange={(id) => setRender(id ?? '')}
          />
        )}
        <FileButton
          onChange={(file) => file && verify.mutate(file)}
          accept=".png,.jpg,.jpeg,.tif,.tiff,.exr,.avif,.jxl,.hdr,.dpx,.mp4,.mov,.m4v,.mkv,.webm,.cube,.csp,.3dl,.spi1d,.spi3d,.clf,.ctf,.icc,.icm"
        >
          {(props) => (
            <Button size="xs" {...props} loading={verify.isPending}>
              Choose a file to verify
            </Button>
          )}
        </FileButton>
      </div>
      {verify.error && <p role="alert">{verify.error.message}</p>}
      {verify.data && <Found found={verify.data} />}
    </Fold>
  );
}

function Found({ found }: { found: Verified }) {
  return (
    <div className="card block" role="group" aria-label={`Verified: ${found.name}`}>
      <h3 style={{ overflowWrap: 'anywhere' }}>{found.name}</h3>
      {found.doubts.length === 0 && <p>Nothing speaks against it.</p>}
      {found.doubts.map(({ code, sentence }) => (
        <p key={code} className="row">
          <LevelMark level="caution" /> {sentence}
        </p>
      ))}
      <Facts facts={found.facts} />
    </div>
  );
}
