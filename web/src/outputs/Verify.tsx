import { Button, FileButton, Select } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';

import { type Schemas, send } from '../api/client';
import { useDeliverables, useRecipes, useSlug } from '../api/hooks';
import { Facts } from '../shared/Facts';
import { Fold } from '../shared/Fold';
import { LevelMark } from '../shared/marks';

type Verified = Schemas['Verified'];

/** Look at a finished file from anywhere: what it says of itself, and whether its pixels fit that. */
export function Verify() {
  const slug = useSlug();
  const recipes = useRecipes();
  const [recipe, setRecipe] = useState('');
  const verify = useMutation({
    mutationFn: (file: File) => send<Verified>(`/api/v1/projects/${slug}/verify`, { file, recipe }),
  });
  const kinds = useDeliverables();
  const verifying = new Set(kinds.data?.filter(({ verifies }) => verifies).map(({ kind }) => kind));
  const known = recipes.data?.filter(({ kind }) => verifying.has(kind)) ?? [];
  return (
    <Fold title="Verify a file" guide="guide/outputs/verify" open={false}>
      <p className="quiet small">A picture, video, LUT or ICC profile from anywhere. It is looked at and not kept.</p>
      <div className="row" style={{ alignItems: 'flex-end' }}>
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
