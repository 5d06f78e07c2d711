import { Button, Checkbox, FileButton, Select, TextInput } from '@mantine/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Link, useLocation } from 'react-router';

import { api, body, type Schemas, send } from '../api/client';
import { useChange, useConversions, useProject, useSlug } from '../api/hooks';
import { counted } from '../shared/marks';
import { SpaceSelect } from '../shared/SpaceSelect';
import { Empty, Loaded } from '../shared/states';
import { ConversionFiles } from './ConversionFiles';
import { type Filters, NO_FILTERS, NO_KIND } from './filters';
import { MaterialComparison } from './MaterialComparison';
import { PlanTable } from './PlanTable';
import { useTextureChoices, useTextureIds } from './useTextureList';

type Order = Required<Schemas['Order']>;

/** Textures written again in another space, and the lists of them that other programs read. */
export function Convert() {
  const choices = useTextureChoices();
  const project = useProject();
  return (
    <Loaded of={choices}>
      {(offered) => (project.data ? <Page offered={offered} workingSpace={project.data.setup.working_space} /> : null)}
    </Loaded>
  );
}

function Page({ offered, workingSpace }: { offered: Schemas['Choices']; workingSpace: string }) {
  const slug = useSlug();
  const came = useLocation().state as { ids?: number[]; flipGreen?: boolean } | null;
  const selected = came?.ids ?? [];
  const [what, setWhat] = useState(came?.flipGreen ? GREEN_DOWN : selected.length > 0 ? 'selected' : 'all');
  const [order, setOrder] = useState<Order>({
    space: workingSpace,
    format: came?.flipGreen ? 'png-16' : 'exr-half',
    pattern: came?.flipGreen ? '{name}_green_up' : '{name}_{space}',
    place: '',
    data_layers: '',
    colour_layers: '',
    flip_green: came?.flipGreen ?? false,
    roughness_as: '',
    textures: [],
  });
  const [shown, setShown] = useState<number>();
  const conversions = useConversions();
  const material = useMutation({
    mutationFn: (file: File) => send<Schemas['Disagreement'][]>(`/api/v1/projects/${slug}/textures/compare-material`, { file }),
  });
  const { mutate: compareMaterial } = material;
  const dropped = (useLocation().state as { material?: File } | null)?.material;
  useEffect(() => {
    if (dropped) compareMaterial(dropped);
  }, [dropped, compareMaterial]);
  const greenDown = useTextureIds({ ...NO_FILTERS, finding: GREEN_DOWN }).data?.length ?? 0;
  const choices = choicesOf(offered, selected, greenDown);
  const choice = choices.find(({ value }) => value === what);
  const part = useTextureIds({ ...NO_FILTERS, ...choice?.part });
  const chosen = what === 'selected' ? selected : choice?.part ? (part.data?.map(({ id }) => id) ?? []) : [];
  const isKnown = choice !== undefined && choice.count > 0 && (!choice.part || part.data !== undefined);
  const asked = { ...order, textures: chosen };
  const convert = useChange((of, wanted: Order) =>
    body(api.POST('/api/v1/projects/{slug}/conversions', { params: { path: { slug: of } }, body: wanted })),
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
          {greenDown > 0 && (
            <Checkbox
              label="Flip green where it points down"
              description={`Green points down in ${counted(greenDown, 'normal map')} of this project.`}
              checked={order.flip_green}
              onChange={(event) => set({ flip_green: event.currentTarget.checked })}
            />
          )}
          <Select
            label="Gloss and roughness"
            description="By the word in the name; maps of the other sort are inverted and renamed."
            data={[
              { value: '', label: 'as they are' },
              { value: 'roughness', label: 'all as roughness' },
              { value: 'gloss', label: 'all as gloss' },
            ]}
            value={order.roughness_as}
            allowDeselect={false}
            onChange={(value) => set({ roughness_as: (value ?? '') as Order['roughness_as'] })}
          />
          <details>
            <summary className="small">Layers of renders</summary>
            <TextInput
              label="Layers that are data"
              description="Layer names, separated by commas."
              value={order.data_layers}
              onChange={(event) => set({ data_layers: event.currentTarget.value })}
            />
            <TextInput
              label="Layers that are colour"
              description="Layer names, separated by commas."
              value={order.colour_layers}
              onChange={(event) => set({ colour_layers: event.currentTarget.value })}
            />
          </details>
          <TextInput
            label="Into the folder"
            description="On the machine that runs Saltwort. Left empty, you fetch a zip."
            value={order.place}
            onChange={(event) => set({ place: event.currentTarget.value })}
          />
          <div>
            <Button type="submit" variant="filled" disabled={!isKnown} loading={convert.isPending}>
              Convert {counted(choice?.count ?? 0, 'file')}
            </Button>
          </div>
          <p className="quiet small">
            Originals stay, nothing is overwritten, and {order.flip_green || order.roughness_as ? 'all other data' : 'data'} keeps its numbers.
          </p>
        </form>
        {conversions.data && conversions.data.length > 0 && (
          <div className="block">
            <h3>Made before</h3>
            {conversions.data.map(({ id, space, format, count, created }) => (
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
                    {counted(count, 'file')} to {space}
                  </span>
                  <span className="quiet small">{new Date(created).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })}</span>
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
              <Button key={kind} size="compact-xs" component="a" href={`/api/v1/projects/${slug}/textures/manifest.${kind}`} download>
                Textures, {kind.toUpperCase()}
              </Button>
            ))}
            <Button size="compact-xs" component="a" href={`/api/v1/projects/${slug}/textures/materials.zip`} download>
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
        ) : !isKnown && choice?.count === 0 ? (
          <Empty>
            <p>There is nothing to convert yet.</p>
            <Button component={Link} to={`/p/${slug}/textures`}>
              Add textures
            </Button>
          </Empty>
        ) : (
          isKnown && <Planned order={asked} />
        )}
      </section>
    </div>
  );
}

function FormatSelect({ value, onChange }: { value: Order['format']; onChange: (format: Order['format']) => void }) {
  const formats = useQuery({
    queryKey: ['conversion-formats'],
    queryFn: () => body(api.GET('/api/v1/conversion-formats')),
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
      body(api.POST('/api/v1/projects/{slug}/conversions/preview', { params: { path: { slug } }, body: order })),
    retry: false,
  });
  return <Loaded of={plan}>{(data) => <PlanTable plan={data} />}</Loaded>;
}

interface Choice {
  value: string;
  label: string;
  count: number;
  /** What narrows the list to these files; nothing for all, or for those that were selected. */
  part?: Partial<Filters>;
}

/** The finding of normal maps whose green points down. */
const GREEN_DOWN = 'texture.green-points-down';

/** All files, those that were selected, normal maps with green down, those of a map kind, or of a set. */
function choicesOf({ kinds, sets }: Schemas['Choices'], selected: number[], greenDown: number): Choice[] {
  const every = kinds.reduce((sum, { count }) => sum + count, 0);
  const shown = (count: number) => count.toLocaleString('en-GB');
  return [
    ...(selected.length > 0
      ? [{ value: 'selected', label: `selected (${shown(selected.length)})`, count: selected.length }]
      : []),
    { value: 'all', label: `all (${shown(every)})`, count: every },
    ...(greenDown > 0
      ? [{ value: GREEN_DOWN, label: `normal maps, green down (${shown(greenDown)})`, count: greenDown, part: { finding: GREEN_DOWN } }]
      : []),
    ...kinds
      .filter(({ value }) => value !== NO_KIND)
      .map(({ value, label, count }) => ({
        value: `kind:${value}`,
        label: `${label} maps (${shown(count)})`,
        count,
        part: { kind: value },
      })),
    ...sets.map(({ value, label, count }) => ({
      value: `set:${value}`,
      label: `set ${label} (${shown(count)})`,
      count,
      part: { set: value },
    })),
  ];
}
