import { useHotkeys } from '@mantine/hooks';
import { type MouseEvent, useRef, useState } from 'react';

import type { Texture } from '../api/hooks';

/** Which of the shown files are selected: by click, with Ctrl one by one, with Shift from here to there, and by keys. */
export function useSelection(shown: Texture[]) {
  const [ids, setIds] = useState<Set<number>>(new Set());
  const [current, setCurrent] = useState<number>();
  const anchor = useRef<number>(undefined);

  const only = (id: number) => {
    anchor.current = id;
    setCurrent(id);
    setIds(new Set([id]));
  };
  const upTo = (id: number) => {
    const [from, to] = [anchor.current ?? id, id].map((end) => shown.findIndex((texture) => texture.id === end));
    setCurrent(id);
    if (from === undefined || to === undefined || from < 0) return only(id);
    setIds(new Set(shown.slice(Math.min(from, to), Math.max(from, to) + 1).map((texture) => texture.id)));
  };
  const toggle = (id: number) => {
    const next = new Set(ids);
    if (!next.delete(id)) next.add(id);
    anchor.current = id;
    setCurrent(id);
    setIds(next);
  };
  const step = (by: number, extend: boolean) => {
    const at = shown.findIndex((texture) => texture.id === current);
    const next = shown[Math.min(shown.length - 1, Math.max(0, at + by))];
    if (next) (extend ? upTo : only)(next.id);
  };
  const many = (textures: Texture[]) => {
    setIds(new Set(textures.map(({ id }) => id)));
    setCurrent(textures[0]?.id);
    anchor.current = textures[0]?.id;
  };
  useHotkeys([
    ['ArrowDown', () => step(1, false)],
    ['ArrowUp', () => step(-1, false)],
    ['shift+ArrowDown', () => step(1, true)],
    ['shift+ArrowUp', () => step(-1, true)],
    ['mod+a', () => many(shown)],
    ['Escape', () => current !== undefined && only(current)],
  ]);
  return {
    ids,
    current,
    many,
    click: (id: number, event: MouseEvent) => {
      if (event.shiftKey) upTo(id);
      else if (event.ctrlKey || event.metaKey) toggle(id);
      else only(id);
    },
  };
}

export type Selection = ReturnType<typeof useSelection>;
