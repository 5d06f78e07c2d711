import { Button, FileButton, Select, TextInput } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useLocation } from 'react-router';

import { api, body, type Schemas, send } from '../api/client';
import { type Texture, useChange, useConversions, useProject, useSlug, useTextures } from '../api/hooks';
import { counted } from '../shared/marks';
import { SpaceSelect } from '../shared/SpaceSelect';
import { Empty, Loaded } from '../shared/states';
import { ConversionFiles } from './ConversionFiles';
import { grouped } from './filters';
import { MaterialComparison } from './MaterialComparison';
import { PlanTable } from './PlanTable';

type Order = Required<Schemas['Order']>;

/** Textures written again in another space, and the lists of them that other programs read. */
export function Convert() {
  const textures = useTextures();
  const project = useProject();
  return (
    <Loaded of={textures}>
      {(all) => (project.data ? <Page textures={all} workingSpace={project.data.setup.working_space} /> : null)}
    </Loaded>
  );
}

function Page({ textures, workingSpace }: { textures: Texture[]; workingSpace: string }) {
  const slug = useSlug();
  const selected = (useLocation().state as { ids?: number[] } | null)?.ids ?? [];
  const [what, setWhat] = useState(selected.length > 0 ? 'selected' : 'all');
  const [order, setOrder] = useState<Order>({
    space: workingSpace,
    format: 'exr-half',
    pattern: '{name}_{space}',
    place: '',
    textures: [],
  });
  const [shown, setShown] = useState<number>();
  const conversions = useConversions();
  const material = useMutation({
    mutationFn: (file: File) => send<Schemas['Disagreement'][]>(`/api/projects/${slug}/textures/compare-material`, { file }),
  });
  const choices = choicesOf(textures, selected);
  const chosen = choices.find(({ value }) => value === what)?.ids ?? [];
  const asked = { ...order, textures: chosen };
  const convert = useChange((of, wanted: Order) =>
    body(api.POST('/api/projects/{slug}/conversions', { params: { path: { slug: of } }, body: wanted })),
  );
  const set = (part: Partial<Order>) => {
    setOrder({ ...order, ...part });
    setShown(undefined);
    material.reset();
  };
  const conversion = conversions.data?.find(({ id }) => id === shown);
  return (
    <div className="columns" style={{ gridTemplateColumns: '316px minmax(0, 1fr)' }}>
      <section className="column" aria-label="Conversion">
        <div className="row spread">
          <h2>Convert</h2>
          <Button size="compact-xs" component={Link} to={`/p/${slug}/textures`}>
            All files
          </Button>
        </div>
        <form
          className="block"
          aria-label="Conversion"
          onSubmit={(event) => {
            event.preventDefault();
            convert.mutate(asked, { onSuccess: ({ id }) => setShown(id) });
          }}
        >
          <Select
            label="Which files"
            data={choices.map(({ value, label }) => ({ value, label }))}
            value={what}
            searchable
            onChange={(value) => {
              setWhat(value ?? 'all');
              set({});
            }}
          />
          <SpaceSelect label="To" value={order.space} onChange={(space) => space && set({ space })} />
          <FormatSelect value={order.format} onChange={(format) => set({ format })} />
          <TextInput
            label="Names"
            description="{name} is the file’s, {space} the space’s shortest; tile and frame stay last."
            value={order.pattern}
            onChange={(event) => set({ pattern: event.currentTarget.value })}
          />
          <TextInput
            label="Into the folder"
            description="On the machine that runs Saltwort. Left empty, you fetch a zip."
            value={order.place}
            onChange={(event) => set({ place: event.currentTarget.value })}
          />
          <div>
            <Button type="submit" variant="filled" disabled={chosen.length === 0} loading={convert.isPending}>
              Convert {counted(chosen.length, 'file')}
            </Button>
          </div>
          <p className="quiet small">Originals stay, nothing is overwritten, and data keeps its numbers.</p>
        </form>
        {conversions.data && conversions.data.length > 0 && (
          <div className="block">
            <h3>Made before</h3>
            {conversions.data.map(({ id, space, format, files, created }) => (
              <button
                key={id}
                className="bare card"
                aria-current={id === shown}
                onClick={() => {
                  setShown(id);
                  material.reset();
                }}
              >
                <span className="row spread">
                  <span className="ellipsis">
                    {counted(files.length, 'file')} to {space}
                  </span>
                  <span className="quiet small">{new Date(created).toLocaleTimeString('en', { hour: '2-digit', minute: '2-digit', hour12: false })}</span>
                </span>
                <span className="quiet small">{format}</span>
              </button>
            ))}
          </div>
        )}
        <div className="block">
          <h3>Lists for other programs</h3>
          <div className="row wrap">
            {(['csv', 'json'] as const).map((kind) => (
              <Button key={kind} size="compact-xs" component="a" href={`/api/projects/${slug}/textures/manifest.${kind}`} download>
                Textures, {kind.toUpperCase()}
              </Button>
            ))}
            <Button size="compact-xs" component="a" href={`/api/projects/${slug}/textures/materials.zip`} download>
              MaterialX
            </Button>
          </div>
          <p className="quiet small">A MaterialX document for each texture set, with the colour space of each file.</p>
          <div>
            <FileButton onChange={(file) => file && material.mutate(file)} accept=".mtlx">
              {(props) => (
                <Button {...props} size="compact-xs" loading={material.isPending}>
                  Compare a MaterialX document
                </Button>
              )}
            </FileButton>
          </div>
        </div>
      </section>
      <section className="column" aria-label="Files">
        {material.data ? (
          <MaterialComparison rows={material.data} onClose={() => material.reset()} />
        ) : conversion ? (
          <ConversionFiles conversion={conversion} onRemoved={() => setShown(undefined)} />
        ) : textures.length === 0 ? (
          <Empty>
            <p>There is nothing to convert yet.</p>
            <Button component={Link} to={`/p/${slug}/textures`}>
              Bring textures
            </Button>
          </Empty>
        ) : (
          <Planned order={asked} />
        )}
      </section>
    </div>
  );
}

function FormatSelect({ value, onChange }: { value: Order['format']; onChange: (format: Order['format']) => void }) {
  const formats = useQuery({
    queryKey: ['conversion-formats'],
    queryFn: () => body(api.GET('/api/conversion-formats')),
    staleTime: Infinity,
  });
  return (
    <Select
      label="As"
      data={formats.data?.map(({ key, label }) => ({ value: key, label })) ?? []}
      value={value}
      onChange={(format) => format && onChange(format as Order['format'])}
    />
  );
}

/** What the order would do, before it is given. */
function Planned({ order }: { order: Order }) {
  const slug = useSlug();
  const project = useProject();
  const plan = useQuery({
    queryKey: [slug, 'conversion-plan', project.data?.revision.number, order],
    queryFn: () =>
      body(api.POST('/api/projects/{slug}/conversions/preview', { params: { path: { slug } }, body: order })),
    retry: false,
  });
  return <Loaded of={plan}>{(data) => <PlanTable plan={data} />}</Loaded>;
}

interface Choice {
  value: string;
  label: string;
  ids: number[];
}

/** All files, those that were selected, those of a map kind, or of a set. */
function choicesOf(textures: Texture[], selected: number[]): Choice[] {
  const ids = (of: Texture[]) => of.map(({ id }) => id);
  const kinds = new Map(textures.flatMap(({ kind }) => (kind ? [[kind.key, kind.label]] : [])));
  return [
    ...(selected.length > 0 ? [{ value: 'selected', label: `selected (${selected.length})`, ids: selected }] : []),
    { value: 'all', label: `all (${textures.length})`, ids: ids(textures) },
    ...[...kinds].map(([key, label]) => {
      const of = textures.filter(({ kind }) => kind?.key === key);
      return { value: `kind:${key}`, label: `${label} maps (${of.length})`, ids: ids(of) };
    }),
    ...grouped(textures)
      .filter((group) => group.textures.length > 1)
      .map((group) => ({
        value: `set:${group.key}`,
        label: `set ${group.name} (${group.textures.length})`,
        ids: ids(group.textures),
      })),
  ];
}
