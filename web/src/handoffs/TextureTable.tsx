import { Button, Checkbox, CopyButton, Select, TextInput } from '@mantine/core';
import { keepPreviousData, useQueries, useQuery } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef, useState } from 'react';

import { api, body } from '../api/client';
import { type Station, useSlug } from '../api/hooks';
import { baseName } from '../shared/numbers';
import { Loaded } from '../shared/states';
import classes from './Chain.module.css';

const PAGE = 200;
const LINE = 46;

interface Narrowed {
  search: string;
  kind: string;
  by_hand: boolean;
}

const pageOf = (slug: string, id: number, narrowed: Narrowed, page: number) => ({
  queryKey: [slug, 'station-textures', id, narrowed, page],
  queryFn: () =>
    body(
      api.GET('/api/v1/projects/{slug}/stations/{id}/textures', {
        params: { path: { slug, id }, query: { ...narrowed, start: page * PAGE } },
      }),
    ),
});

/** Every texture as one application must be told of it, thousands of them. */
export function TextureTable({ station }: { station: Station }) {
  const slug = useSlug();
  const [narrowed, setNarrowed] = useState<Narrowed>({ search: '', kind: '', by_hand: false });
  const first = useQuery({ ...pageOf(slug, station.id, narrowed, 0), placeholderData: keepPreviousData });
  const saved = (ending: string) => `/api/v1/projects/${slug}/stations/${station.id}/textures.${ending}`;
  const change = (part: Partial<Narrowed>) => setNarrowed({ ...narrowed, ...part });
  return (
    <section className="column" aria-label={`Textures in the ${station.name.toLowerCase()}`}>
      <div className="row spread">
        <h2>
          Textures in the {station.name.toLowerCase()}{' '}
          <span className="quiet small">{first.data && `${first.data.count.toLocaleString('en')} files`}</span>
        </h2>
        <div className="row">
          <Button component="a" size="compact-sm" variant="subtle" href={saved('csv')} download>
            Save as CSV
          </Button>
          <Button component="a" size="compact-sm" variant="subtle" href={saved('json')} download>
            Save as JSON
          </Button>
        </div>
      </div>
      <div className="row" style={{ alignItems: 'flex-end' }}>
        <TextInput
          label="Search"
          placeholder="words of the path"
          value={narrowed.search}
          onChange={(event) => change({ search: event.currentTarget.value })}
        />
        <Select
          label="Map kind"
          data={[{ value: '', label: 'all' }, ...(first.data?.kinds ?? []).map((kind) => ({ value: kind, label: kind }))]}
          value={narrowed.kind}
          allowDeselect={false}
          onChange={(kind) => change({ kind: kind ?? '' })}
        />
        <Checkbox
          size="xs"
          color="neutral"
          label="To be set by hand"
          checked={narrowed.by_hand}
          onChange={(event) => change({ by_hand: event.currentTarget.checked })}
          style={{ paddingBottom: 8 }}
        />
      </div>
      <Loaded of={first}>
        {({ count }) => (count ? <Rows station={station} narrowed={narrowed} count={count} /> : <p>No texture fits this.</p>)}
      </Loaded>
    </section>
  );
}

function Rows({ station, narrowed, count }: { station: Station; narrowed: Narrowed; count: number }) {
  const slug = useSlug();
  const scroller = useRef<HTMLDivElement>(null);
  // Its functions change with every scroll; nothing here keeps them.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count,
    getScrollElement: () => scroller.current,
    estimateSize: () => LINE,
    overscan: 8,
  });
  const items = virtual.getVirtualItems();
  const wanted = [...new Set(items.map(({ index }) => Math.floor(index / PAGE)))];
  const pages = useQueries({ queries: wanted.map((page) => pageOf(slug, station.id, narrowed, page)) });
  const loaded = new Map(wanted.map((page, at) => [page, pages[at]?.data?.rows]));
  return (
    <div ref={scroller} className={classes.rows} tabIndex={0} role="group" aria-label="Table of textures">
      <div role="table" aria-rowcount={count} aria-label="Textures" style={{ height: virtual.getTotalSize(), position: 'relative' }}>
        {items.map(({ index, start }) => {
          const row = loaded.get(Math.floor(index / PAGE))?.[index % PAGE];
          return (
            <div key={index} role="row" aria-rowindex={index + 1} className={classes.line} style={{ transform: `translateY(${start}px)` }}>
              <span role="cell" style={{ minWidth: 0 }}>
                <span className="ellipsis" title={row?.path} style={{ display: 'block' }}>
                  {row ? baseName(row.path) : '…'}
                </span>
                <span className="quiet small ellipsis" style={{ display: 'block' }} title={row?.rename}>
                  {row?.rename ? `rename to ${baseName(row.rename)}` : row?.path.slice(0, -baseName(row.path).length)}
                </span>
              </span>
              <span role="cell" className="quiet">
                {row?.kind}
              </span>
              <span role="cell" style={{ minWidth: 0 }}>
                <span className="mono ellipsis" style={{ display: 'block' }} title={row?.value}>
                  {row?.value}
                </span>
                <span className="quiet small ellipsis" style={{ display: 'block' }} title={row?.why}>
                  {row?.why}
                </span>
              </span>
              <span role="cell">
                {row && (
                  <CopyButton value={row.value}>
                    {({ copied, copy }) => (
                      <Button size="compact-xs" variant="subtle" onClick={copy} aria-label={`Copy the space of ${row.path}`}>
                        {copied ? 'Copied' : 'Copy'}
                      </Button>
                    )}
                  </CopyButton>
                )}
              </span>
            </div>
          );
        })}
      </div>
    </div>
  );
}
