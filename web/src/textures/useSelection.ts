import { useHotkeys } from '@mantine/hooks';
import { type MouseEvent, useMemo, useRef } from 'react';

import type { Texture } from '../api/hooks';
import { useRemembered } from '../shared/remembered';
import type { Filters } from './filters';
import type { TextureRows } from './useTextureList';

/** Which files of a list are selected: by click, with Ctrl one by one, with Shift from here to there, and by keys. */
export function useSelection(list: TextureRows) {
  const [listed, setListed] = useRemembered<number[]>('selected textures', []);
  const [current, setCurrent] = useRemembered<Texture | null>('selected texture', null);
  const ids = useMemo(() => new Set(listed), [listed]);
  const setIds = (chosen: Iterable<number>) => setListed([...chosen]);
  /** The place in the list of the file that is current, and of the one from which Shift selects. */
  const [at, setAt] = useRemembered('place of the selected texture', 0);
  const anchor = useRef(0);

  const go = (index: number, texture: Texture) => {
    setAt(index);
    setCurrent(texture);
  };
  const only = (index: number, texture: Texture) => {
    anchor.current = index;
    go(index, texture);
    setIds([texture.id]);
  };
  const upTo = (index: number, texture: Texture) => {
    go(index, texture);
    const [from, to] = [Math.min(anchor.current, index), Math.max(anchor.current, index)];
    const loaded = Array.from({ length: to - from + 1 }, (_, step) => list.rowAt(from + step)?.id);
    if (loaded.every((id) => id !== undefined)) setIds(loaded);
    else void list.ids().then((all) => setIds(all.slice(from, to + 1)));
  };
  const toggle = (index: number, texture: Texture) => {
    const next = new Set(ids);
    if (!next.delete(texture.id)) next.add(texture.id);
    anchor.current = index;
    go(index, texture);
    setIds(next);
  };
  const step = (by: number, extend: boolean) => {
    const next = current ? Math.min(list.total - 1, Math.max(0, at + by)) : 0;
    const texture = list.rowAt(next);
    if (texture) (extend ? upTo : only)(next, texture);
  };
  /** All files of the list, or of a part of it. */
  const all = async (part?: Partial<Filters>) => {
    setIds(await list.ids(part));
  };
  useHotkeys([
    ['ArrowDown', () => step(1, false)],
    ['ArrowUp', () => step(-1, false)],
    ['shift+ArrowDown', () => step(1, true)],
    ['shift+ArrowUp', () => step(-1, true)],
    ['mod+a', () => void all()],
    ['Escape', () => current && only(at, current)],
  ]);
  return {
    ids,
    current,
    /** The place of the current file, to be kept in sight. */
    at: current ? at : undefined,
    all,
    clear: () => {
      setIds([]);
      setCurrent(null);
    },
    /** Show a file without selecting it: it stays, whatever is done to it. */
    show: go,
    click: (index: number, texture: Texture, event: MouseEvent) => {
      if (event.shiftKey) upTo(index, texture);
      else if (event.ctrlKey || event.metaKey) toggle(index, texture);
      else only(index, texture);
    },
  };
}

export type Selection = ReturnType<typeof useSelection>;
