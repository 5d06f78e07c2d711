import { Button, Select } from '@mantine/core';
import { useNavigate } from 'react-router';

import { api, body } from '../api/client';
import { type Render, useChange, useOwnFindings, useSlug } from '../api/hooks';
import { figure } from '../shared/colour';
import { Facts } from '../shared/Facts';
import { FindingCard } from '../shared/FindingCard';
import { SpaceSelect } from '../shared/SpaceSelect';
import { SequenceFacts } from './SequenceFacts';
import { Testimony } from '../textures/TextureFacts';
import { useRemoval } from '../shared/useUndo';

/** What the selected render holds, and the space it is read in. */
export function RenderFacts({ render }: { render: Render }) {
  const slug = useSlug();
  const navigate = useNavigate();
  const findings = useOwnFindings();
  const own = findings.data?.filter(({ code, subject }) => code.startsWith('render.') && subject === render.name) ?? [];
  const change = useChange((_, changed: { space?: string; layer?: string }) =>
    body(
      api.PUT('/api/v1/projects/{slug}/renders/{id}', {
        params: { path: { slug, id: render.id } },
        body: { ...changed, based_on: render.version },
      }),
    ),
  );
  const remove = useRemoval(() =>
    body(api.DELETE('/api/v1/projects/{slug}/renders/{id}', { params: { path: { slug, id: render.id } } })),
    render.name,
  );
  return (
    <>
      <h2 style={{ overflowWrap: 'anywhere' }}>{render.name}</h2>
      {own.map((finding) => (
        <FindingCard key={finding.code} finding={finding} />
      ))}
      <SpaceSelect
        label="Read as"
        description={`Detected from: ${render.told_by}`}
        value={render.space}
        disabled={change.isPending}
        onChange={(space) => space && change.mutate({ space })}
      />
      {render.layers.length > 1 && (
        <Select
          label="Layer"
          data={render.layers.map((layer) => ({ value: layer, label: layer || 'the picture' }))}
          value={render.layer}
          allowDeselect={false}
          disabled={change.isPending}
          onChange={(layer) => change.mutate({ layer: layer ?? '' })}
        />
      )}
      <Facts
        facts={[
          { name: 'size', value: `${render.width} × ${render.height}` },
          { name: 'samples', value: render.bit_depth },
          { name: 'peak', value: figure(render.peak) },
          { name: 'above 1', value: `${(render.above_one * 100).toFixed(2)} %` },
          { name: 'below 0', value: `${(render.below_zero * 100).toFixed(2)} %` },
          { name: 'not a number', value: String(render.non_finite) },
          ...(render.window ? [{ name: 'pixels in the file', value: render.window }] : []),
        ]}
      />
      {render.sequence && <SequenceFacts render={render} />}
      <Testimony detail={render} />
      <div className="row">
        <Button variant="filled" onClick={() => void navigate(`/p/${slug}/compare?render=${render.id}`)}>
          Compare views on it
        </Button>
        <Button variant="subtle" loading={remove.isPending} onClick={() => remove.mutate(undefined)}>
          Remove
        </Button>
      </div>
    </>
  );
}
