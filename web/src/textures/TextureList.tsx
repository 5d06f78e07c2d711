import { useElementSize } from '@mantine/hooks';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef } from 'react';
import { useNavigate } from 'react-router';

import type { Finding, Texture } from '../api/hooks';
import { LevelMark } from '../shared/marks';
import { baseName } from '../shared/numbers';
import { type FindingsByPath, type Group, grouped, setSummary } from './filters';
import { reasonWord } from './reason';
import classes from './Textures.module.css';
import type { Selection } from './useSelection';

export type Layout = 'table' | 'grid';

/** One line of the list: the head of a set, or files: one in the table, as many as fit in the grid. */
type Line = { group: Group } | { files: Texture[]; inSet: boolean };

const HEIGHTS = { head: 34, table: 56, grid: 164 };
const CELL_WIDTH = 124;

/** The files with the space each is read in, by set. Only what is in sight is drawn. */
export function TextureList({
  textures,
  findings,
  selection,
  layout,
}: {
  textures: Texture[];
  findings: FindingsByPath;
  selection: Selection;
  layout: Layout;
}) {
  const scroller = useRef<HTMLDivElement>(null);
  const { ref: measured, width } = useElementSize();
  const across = layout === 'table' ? 1 : Math.max(1, Math.floor(width / CELL_WIDTH));
  const lines = linesOf(textures, across);
  // Its functions change with every scroll; nothing here keeps them.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: (index) => ('group' in (lines[index] ?? {}) ? HEIGHTS.head : HEIGHTS[layout]),
    overscan: 8,
  });
  useEffect(() => virtual.measure(), [virtual, layout, across, lines.length]);
  const { current } = selection;
  const at = lines.findIndex((line) => 'files' in line && line.files.some(({ id }) => id === current));
  useEffect(() => {
    if (at >= 0) virtual.scrollToIndex(at, { align: 'auto' });
  }, [virtual, at]);
  return (
    <div ref={scroller} className={classes.scroll} tabIndex={-1}>
      <div
        ref={measured}
        role="grid"
        aria-label="Textures"
        aria-multiselectable
        aria-rowcount={lines.length}
        style={{ height: virtual.getTotalSize(), position: 'relative' }}
      >
        {virtual.getVirtualItems().map(({ index, start, size }) => {
          const line = lines[index];
          if (!line) return null;
          return (
            <div key={index} className={classes.line} style={{ height: size, transform: `translateY(${start}px)` }}>
              {'group' in line ? (
                <SetHead group={line.group} selection={selection} />
              ) : layout === 'table' ? (
                line.files.map((texture) => (
                  <FileRow
                    key={texture.id}
                    texture={texture}
                    finding={findings.get(texture.path)?.[0]}
                    selection={selection}
                    inSet={line.inSet}
                  />
                ))
              ) : (
                <div className={classes.cells} style={{ gridTemplateColumns: `repeat(${across}, minmax(0, 1fr))` }}>
                  {line.files.map((texture) => (
                    <FileCell
                      key={texture.id}
                      texture={texture}
                      finding={findings.get(texture.path)?.[0]}
                      selection={selection}
                    />
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

function linesOf(textures: Texture[], across: number): Line[] {
  const lines: Line[] = [];
  let single: Texture[] = [];
  const flush = () => {
    lines.push(...cut(single, across, false));
    single = [];
  };
  for (const group of grouped(textures)) {
    if (group.textures.length === 1) {
      single.push(...group.textures);
      continue;
    }
    flush();
    lines.push({ group }, ...cut(group.textures, across, true));
  }
  flush();
  return lines;
}

function cut(files: Texture[], across: number, inSet: boolean): Line[] {
  return Array.from({ length: Math.ceil(files.length / across) }, (_, row) => ({
    files: files.slice(row * across, (row + 1) * across),
    inSet,
  }));
}

function SetHead({ group, selection }: { group: Group; selection: Selection }) {
  return (
    <button
      className={`bare ${classes.set}`}
      title="Select the whole set"
      onClick={() => selection.many(group.textures)}
    >
      <span className="ellipsis">{group.name}</span>
      <span className="quiet small ellipsis">{setSummary(group)}</span>
    </button>
  );
}

interface FileProps {
  texture: Texture;
  finding: Finding | undefined;
  selection: Selection;
}

function FileRow({ texture, finding, selection, inSet }: FileProps & { inSet: boolean }) {
  const navigate = useNavigate();
  return (
    <div
      role="row"
      aria-selected={selection.ids.has(texture.id)}
      className={`${classes.file} ${inSet ? classes.inSet : ''}`}
      onClick={(event) => selection.click(texture.id, event)}
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
        {texture.kind?.label ?? 'not told'}
      </span>
      <span role="gridcell">{texture.assignment.space}</span>
      <span role="gridcell" className="quiet">
        {reasonWord(texture.assignment)}
      </span>
    </div>
  );
}

function FileCell({ texture, finding, selection }: FileProps) {
  const navigate = useNavigate();
  return (
    <div
      role="row"
      aria-selected={selection.ids.has(texture.id)}
      className={classes.cell}
      title={`${texture.path}\n${texture.kind?.label ?? 'map kind not told'}, by ${reasonWord(texture.assignment)}`}
      onClick={(event) => selection.click(texture.id, event)}
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
