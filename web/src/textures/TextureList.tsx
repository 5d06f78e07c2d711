import { useElementSize } from '@mantine/hooks';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef } from 'react';
import { useNavigate } from 'react-router';

import type { Texture } from '../api/hooks';
import { LevelMark } from '../shared/marks';
import { baseName } from '../shared/numbers';
import { setSummary } from './filters';
import { reasonWord } from './reason';
import classes from './Textures.module.css';
import type { Selection } from './useSelection';
import type { TextureRows, TextureSet } from './useTextureList';

export type Layout = 'table' | 'grid';

const HEIGHTS = { head: 34, table: 56, grid: 164 };
const CELL_WIDTH = 124;

/** The files with the space each is read in, by set. Only what is in sight is fetched and drawn. */
export function TextureList({ list, selection, layout }: { list: TextureRows; selection: Selection; layout: Layout }) {
  const scroller = useRef<HTMLDivElement>(null);
  const { ref: measured, width } = useElementSize();
  const across = layout === 'table' ? 1 : Math.max(1, Math.floor(width / CELL_WIDTH));
  const count = Math.ceil(list.total / across);
  const headOf = (index: number) => (layout === 'table' ? headAt(list, index) : undefined);
  // Its functions change with every scroll; nothing here keeps them.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count,
    getScrollElement: () => scroller.current,
    estimateSize: (index) => HEIGHTS[layout] + (headOf(index) ? HEIGHTS.head : 0),
    overscan: 8,
  });
  const items = virtual.getVirtualItems();
  const [from, to] = [(items[0]?.index ?? 0) * across, ((items.at(-1)?.index ?? 0) + 1) * across - 1];
  const { want } = list;
  useEffect(() => want(from, to), [want, from, to]);
  useEffect(() => virtual.measure(), [virtual, layout, across, count]);
  // What is fetched has heads, so it is longer than it was thought to be: what is in sight stays where it is.
  const fetched = `${list.rows[0]?.id} ${list.rows.at(-1)?.id} ${list.rows.length}`;
  useEffect(() => {
    const offset = virtual.scrollOffset ?? 0;
    const isAtEnd = offset > 0 && offset + (virtual.scrollRect?.height ?? 0) >= virtual.getTotalSize() - 1;
    const first = virtual.getVirtualItems().find(({ end }) => end > offset)?.index;
    virtual.measure();
    if (isAtEnd) virtual.scrollToIndex(count - 1, { align: 'end' });
    else if (offset > 0 && first !== undefined) virtual.scrollToIndex(first, { align: 'start' });
    // The count belongs to what is fetched.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [virtual, fetched]);
  const at = selection.at === undefined ? undefined : Math.floor(selection.at / across);
  useEffect(() => {
    if (at !== undefined) virtual.scrollToIndex(at, { align: 'auto' });
  }, [virtual, at]);
  return (
    <div ref={scroller} className={classes.scroll} tabIndex={-1}>
      <div
        ref={measured}
        role="grid"
        aria-label="Textures"
        aria-multiselectable
        aria-rowcount={list.total}
        style={{ height: virtual.getTotalSize(), position: 'relative' }}
      >
        {items.map(({ index, start, size }) => {
          const head = headOf(index);
          return (
            <div key={index} className={classes.line} style={{ height: size, transform: `translateY(${start}px)` }}>
              {layout === 'table' ? (
                <>
                  {head && <SetHead set={head} selection={selection} />}
                  <FileRow list={list} index={index} selection={selection} />
                </>
              ) : (
                <div className={classes.cells} style={{ gridTemplateColumns: `repeat(${across}, minmax(0, 1fr))` }}>
                  {Array.from({ length: Math.min(across, list.total - index * across) }, (_, cell) => (
                    <FileCell key={cell} list={list} index={index * across + cell} selection={selection} />
                  ))}
                </div>
              )}
            </div>
          );
        })}
      </div>
    </div>
  );
}

/** The set that begins with a file of the list, if it has several files. */
function headAt(list: TextureRows, index: number): TextureSet | undefined {
  const texture = list.rowAt(index);
  const before = index > 0 ? list.rowAt(index - 1) : undefined;
  return texture && before?.member.key !== texture.member.key ? list.setOf(texture) : undefined;
}

function SetHead({ set, selection }: { set: TextureSet; selection: Selection }) {
  return (
    <div role="row">
      <div role="gridcell">
        <button
          className={`bare ${classes.set}`}
          style={{ height: HEIGHTS.head }}
          title="Select the whole set"
          onClick={() => void selection.all({ set: set.key })}
        >
          <span className="ellipsis">{set.name}</span>
          <span className="quiet small ellipsis">{setSummary(set)}</span>
        </button>
      </div>
    </div>
  );
}

interface FileProps {
  list: TextureRows;
  index: number;
  selection: Selection;
}

function FileRow({ list, index, selection }: FileProps) {
  const texture = list.rowAt(index);
  return texture ? (
    <FoundRow texture={texture} index={index} selection={selection} inSet={list.setOf(texture) !== undefined} />
  ) : (
    <div role="row" className={classes.file} aria-busy />
  );
}

interface FoundProps {
  texture: Texture;
  index: number;
  selection: Selection;
}

function FoundRow({ texture, index, selection, inSet }: FoundProps & { inSet: boolean }) {
  const finding = texture.findings[0];
  const navigate = useNavigate();
  return (
    <div
      role="row"
      aria-selected={selection.ids.has(texture.id)}
      aria-current={selection.current?.id === texture.id || undefined}
      className={`${classes.file} ${inSet ? classes.inSet : ''}`}
      onClick={(event) => selection.click(index, texture, event)}
      onDoubleClick={() => void navigate(String(texture.id))}
    >
      <img src={texture.thumbnail} alt="" loading="lazy" width={44} height={44} />
      <div role="gridcell" className={classes.name}>
        <span className="ellipsis" title={texture.path}>
          {baseName(texture.path)}
        </span>
        {finding ? (
          <span className="row small">
            <LevelMark level={finding.level} /> <span className="ellipsis">{finding.title}</span>
          </span>
        ) : (
          <span className="quiet small ellipsis">
            {texture.width} × {texture.height} · {texture.bit_depth} {texture.format}
          </span>
        )}
      </div>
      <span role="gridcell" className={texture.kind ? '' : 'quiet'} title={texture.kind_word && `by “${texture.kind_word}”`}>
        {texture.kind?.label ?? 'not detected'}
      </span>
      <span role="gridcell">{texture.assignment.space}</span>
      <span role="gridcell" className="quiet">
        {reasonWord(texture.assignment)}
      </span>
    </div>
  );
}

function FileCell({ list, index, selection }: FileProps) {
  const texture = list.rowAt(index);
  return texture ? <FoundCell texture={texture} index={index} selection={selection} /> : <div role="row" aria-busy />;
}

function FoundCell({ texture, index, selection }: FoundProps) {
  const finding = texture.findings[0];
  const navigate = useNavigate();
  return (
    <div
      role="row"
      aria-selected={selection.ids.has(texture.id)}
      aria-current={selection.current?.id === texture.id || undefined}
      className={classes.cell}
      title={`${texture.path}\n${texture.kind?.label ?? 'map kind not detected'}, by ${reasonWord(texture.assignment)}`}
      onClick={(event) => selection.click(index, texture, event)}
      onDoubleClick={() => void navigate(String(texture.id))}
    >
      <span className="plate">
        <img src={texture.thumbnail} alt="" loading="lazy" />
      </span>
      <span role="gridcell" className="row small">
        {finding && <LevelMark level={finding.level} />}
        <span className="ellipsis">{baseName(texture.path)}</span>
      </span>
      <span role="gridcell" className="quiet small ellipsis">
        {texture.assignment.space}
      </span>
    </div>
  );
}
