import { Button } from '@mantine/core';
import { useHotkeys } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { type MouseEvent, useRef, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';

import { api, body, type Schemas } from '../api/client';
import { type Texture, useProject, useSlug, useTextureFindings } from '../api/hooks';
import { Facts } from '../shared/Facts';
import { FindingCard } from '../shared/FindingCard';
import { baseName, figures } from '../shared/numbers';
import type { Diagram } from '../shared/plots';
import { SpaceSelect } from '../shared/SpaceSelect';
import { Segments } from '../shared/Segments';
import { Loaded } from '../shared/states';
import { PlaceFields, probeKeys } from '../shared/probing';
import { FoldingColumn } from '../shared/Fold';
import { NO_FILTERS } from './filters';
import { MapKind, Pin, Testimony, Why } from './TextureFacts';
import { Studies } from './Studies';
import classes from './TextureView.module.css';
import { useTextureIds } from './useTextureList';
import { UndoneView } from './UndoneView';

const ZOOMS = { fit: 0, '100 %': 1, '400 %': 4 };
type Zoom = keyof typeof ZOOMS;
const LARGEST_PICTURE = 2048;

/** One file, large: its pixels read in two spaces, what they come to, and all that is known of it. */
export function TextureView() {
  const slug = useSlug();
  const id = Number(useParams().id);
  const listed = useTextureIds(NO_FILTERS);
  const navigate = useNavigate();
  const detail = useQuery({
    queryKey: [slug, 'texture', id],
    queryFn: () => body(api.GET('/api/v1/projects/{slug}/textures/{id}', { params: { path: { slug, id } } })),
  });
  const step = (by: number) => {
    const all = listed.data ?? [];
    const next = all[all.findIndex((one) => one.id === id) + by];
    if (next) void navigate(`/p/${slug}/textures/${next.id}`);
  };
  useHotkeys([
    ['Escape', () => void navigate(`/p/${slug}/textures`)],
    ['ArrowLeft', () => step(-1)],
    ['ArrowRight', () => step(1)],
  ]);
  return (
    <Loaded of={detail}>
      {(data) => (
        <div className="columns two" key={`${id}-${data.assignment.space}`}>
          <Look texture={data} detail={data} onStep={step} />
          <Side texture={data} detail={data} />
        </div>
      )}
    </Loaded>
  );
}

/** The suggested space, or while it is undecided the first that it may be, where that is another than the file has. */
function otherThan(assigned: string, { space, candidates }: Schemas['TextureDetail']['verdict']) {
  const suggested = space === null ? candidates.map((candidate) => candidate.space) : [space];
  return suggested.find((other) => other !== null && other !== assigned) ?? null;
}

/** The picture in the space that it is read in, and beside it in another. */
function Look({
  texture,
  detail,
  onStep,
}: {
  texture: Texture;
  detail: Schemas['TextureDetail'];
  onStep: (by: number) => void;
}) {
  const slug = useSlug();
  const assigned = detail.assignment.space;
  const [other, setOther] = useState(otherThan(assigned, detail.verdict));
  const [zoom, setZoom] = useState<Zoom>('fit');
  const [diagram, setDiagram] = useState<Diagram>('xy');
  const [probed, setProbed] = useState<{ x: number; y: number }>();
  const spaces = other ? [assigned, other] : [assigned];
  const scrollers = useRef<(HTMLDivElement | null)[]>([]);
  /** Panes are scrolled together. */
  const follow = (from: number) => {
    const moved = scrollers.current[from];
    for (const pane of scrollers.current) {
      if (pane && moved && pane !== moved) pane.scrollTo(moved.scrollLeft, moved.scrollTop);
    }
  };
  return (
    <section className="column" aria-label="Picture">
      <div className="row spread">
        <h1 className="ellipsis" title={texture.path}>
          {baseName(texture.path)}
        </h1>
        <span className="row">
          <Button size="compact-xs" component={Link} to={`/p/${slug}/textures`} title="Escape">
            All files
          </Button>
          <Button size="compact-xs" onClick={() => onStep(-1)} title="←">
            Previous
          </Button>
          <Button size="compact-xs" onClick={() => onStep(1)} title="→">
            Next
          </Button>
        </span>
      </div>
      <div className="row spread" style={{ alignItems: 'flex-end' }}>
        <SpaceSelect label="Beside it, read as" placeholder="no other space" clearable w={260} value={other} onChange={setOther} />
        <span className="row">
          <Segments
            aria-label="Diagram"
            value={diagram}
            onChange={(value) => setDiagram(value as Diagram)}
            data={[
              { value: 'xy', label: 'xy' },
              { value: 'uv', label: 'u′v′' },
            ]}
          />
          <Segments
            aria-label="Zoom"
            value={zoom}
            onChange={(value) => setZoom(value as Zoom)}
            data={Object.keys(ZOOMS)}
          />
        </span>
      </div>
      <div className={classes.panes}>
        {spaces.map((space, index) => (
          <Pane
            key={index}
            texture={texture}
            space={space}
            caption={index === 0 ? `now ${space}` : `as ${space}`}
            zoom={ZOOMS[zoom]}
            probed={probed}
            onProbe={setProbed}
            scroller={(element) => (scrollers.current[index] = element)}
            onScroll={() => follow(index)}
          />
        ))}
      </div>
      <div className="row">
        <h2>Probe</h2>
        <PlaceFields at={probed} size={texture} onMove={setProbed} />
      </div>
      <Probe texture={texture} spaces={spaces} at={probed} />
      <Studies texture={texture} spaces={spaces} diagram={diagram} />
    </section>
  );
}

function Pane({
  texture,
  space,
  caption,
  zoom,
  probed,
  onProbe,
  scroller,
  onScroll,
}: {
  texture: Texture;
  space: string;
  caption: string;
  zoom: number;
  probed: { x: number; y: number } | undefined;
  onProbe: (at: { x: number; y: number }) => void;
  scroller: (element: HTMLDivElement | null) => void;
  onScroll: () => void;
}) {
  const slug = useSlug();
  const project = useProject();
  const { width, height } = texture;
  const picture =
    `/api/v1/projects/${slug}/textures/${texture.id}/picture?` +
    new URLSearchParams({
      space,
      size: String(zoom > 0 ? LARGEST_PICTURE : 1024),
      v: `${texture.thumbnail}-${project.data?.revision.number}`,
    });
  const pick = (event: MouseEvent<HTMLImageElement>) => {
    const { clientWidth, clientHeight } = event.currentTarget;
    const at = (offset: number, shown: number, whole: number) =>
      Math.min(whole - 1, Math.max(0, Math.floor((offset / shown) * whole)));
    onProbe({
      x: at(event.nativeEvent.offsetX, clientWidth, width),
      y: at(event.nativeEvent.offsetY, clientHeight, height),
    });
  };
  return (
    <figure className={classes.pane}>
      <div ref={scroller} className={`plate ${classes.scroller}`} onScroll={onScroll}>
        <div
          className={zoom > 0 ? classes.zoomed : classes.fitted}
          style={{ aspectRatio: `${width} / ${height}` }}
          tabIndex={0}
          role="group"
          aria-label={`${caption}: arrow keys move the probe`}
          onKeyDown={probeKeys(texture, probed, onProbe)}
        >
          <img
            src={picture}
            alt={`${texture.path} read as ${space}`}
            onClick={pick}
            style={zoom > 0 ? { width: width * zoom, imageRendering: zoom > 1 ? 'pixelated' : 'auto', maxWidth: 'none' } : undefined}
          />
          {probed && (
            <span
              className={classes.mark}
              style={{ left: `${((probed.x + 0.5) / width) * 100}%`, top: `${((probed.y + 0.5) / height) * 100}%` }}
            />
          )}
        </div>
      </div>
      <figcaption className="quiet small ellipsis">
        {caption}
        {zoom > 0 && Math.max(width, height) > LARGEST_PICTURE && `, shown from ${LARGEST_PICTURE} pixels`}
      </figcaption>
    </figure>
  );
}

/** The pixel that was clicked: as stored, and what each space makes of it. */
function Probe({ texture, spaces, at }: { texture: Texture; spaces: string[]; at: { x: number; y: number } | undefined }) {
  const slug = useSlug();
  const pixel = useQuery({
    queryKey: [slug, 'pixel', texture.id, at, spaces],
    queryFn: () =>
      body(
        api.GET('/api/v1/projects/{slug}/textures/{id}/pixel', {
          params: { path: { slug, id: texture.id }, query: { ...(at ?? { x: 0, y: 0 }), space: spaces } },
        }),
      ),
    enabled: at !== undefined,
    placeholderData: keepPreviousData,
  });
  if (!at) return <p className="quiet small">Click a pixel to read it, or focus the picture and use the arrow keys.</p>;
  if (pixel.error) return <p role="alert">{pixel.error.message}</p>;
  if (!pixel.data) return <p className="quiet small">Reading {at.x}, {at.y} …</p>;
  return (
    <table className="list" aria-label="Probe">
      <thead>
        <tr>
          <th>
            Pixel {at.x}, {at.y}
          </th>
          <th>stored</th>
          <th>scene light, working space</th>
          <th>shown, 8-bit</th>
        </tr>
      </thead>
      <tbody className="mono small">
        {pixel.data.readings.map(({ space, light, shown }, index) => (
          <tr key={space}>
            <td>{space}</td>
            <td>{index === 0 && figures(pixel.data.stored)}</td>
            <td>{figures(light)}</td>
            <td>{shown.map((value) => Math.round((value ?? 0) * 255)).join(' ')}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** What is wrong, the pin, what the file says of itself, and why it has its space. */
function Side({ texture, detail }: { texture: Texture; detail: Schemas['TextureDetail'] }) {
  const own = useTextureFindings(texture.path).data?.findings ?? [];
  return (
    <FoldingColumn label="About the file" guide="guide/textures#one-file">
      <p className="mono small quiet" style={{ overflowWrap: 'anywhere' }}>
        {texture.path}
      </p>
      {own.map((finding) => (
        <FindingCard key={finding.code} finding={finding} />
      ))}
      <Pin detail={detail} />
      <MapKind detail={detail} />
      <Testimony detail={detail} />
      <UndoneView texture={texture} detail={detail} />
      <Why detail={detail} />
      <div className="block">
        <h3>Header</h3>
        {detail.header.length > 0 ? <Facts facts={detail.header} wide /> : <p className="quiet">It says nothing of colour.</p>}
      </div>
      <div className="block">
        <h3>Measured</h3>
        <Facts facts={detail.facts} />
      </div>
    </FoldingColumn>
  );
}
