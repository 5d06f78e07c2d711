import { useState } from 'react';

import type { Shot } from './drawer';

type Window = Shot['window'];

const WHOLE: Window = { x: 0, y: 0, width: 1, height: 1 };
const CLOSEST = 1 / 64;

const within = (start: number, size: number) => Math.min(1 - size, Math.max(0, start));

/** Which part of the picture all panes show; `start` is x, y, width and height. */
export function useWindow(start?: number[]) {
  const [window, setWindow] = useState(() => {
    const [x = 0, y = 0, width = 1, height = 1] = start ?? [];
    return { x, y, width, height };
  });
  return {
    window,
    zoom: (factor: number, at: { x: number; y: number }) =>
      setWindow((before) => {
        const size = Math.min(1, Math.max(CLOSEST, before.width / factor));
        const scale = size / before.width;
        return {
          x: within(at.x - (at.x - before.x) * scale, size),
          y: within(at.y - (at.y - before.y) * scale, size),
          width: size,
          height: size,
        };
      }),
    pan: (by: { x: number; y: number }) =>
      setWindow((before) => ({
        ...before,
        x: within(before.x + by.x, before.width),
        y: within(before.y + by.y, before.height),
      })),
    /** One pixel of the picture on `pixels` of the screen, around the middle. */
    magnify: (share: number) =>
      setWindow((before) => {
        const size = Math.min(1, Math.max(CLOSEST, share));
        const middle = { x: before.x + before.width / 2, y: before.y + before.height / 2 };
        return { x: within(middle.x - size / 2, size), y: within(middle.y - size / 2, size), width: size, height: size };
      }),
    whole: () => setWindow(WHOLE),
  };
}
