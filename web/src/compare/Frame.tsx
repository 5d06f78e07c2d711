import { type PointerEvent, type ReactNode, useEffect, useRef } from 'react';

import type { Render } from '../api/hooks';
import classes from './Compare.module.css';
import type { Shot } from './drawer';
import type { Point } from './ProbeTable';

export interface FrameHandlers {
  onPoint: (point: Point) => void;
  onHold: () => void;
  /** Magnify by a factor around a place of the picture, 0–1. */
  onZoom: (factor: number, at: Point) => void;
  /** Move by shares of the picture. */
  onPan: (by: Point) => void;
}

const WHEEL = 1.2;
const STILL = 4;

/** A picture's place on the table: pointing probes it, the wheel magnifies, dragging moves, a click holds the probe. */
export function Frame({
  render,
  width,
  height,
  window,
  point,
  handlers,
  children,
}: {
  render: Render;
  width: number;
  height: number;
  window: Shot['window'];
  point: Point | undefined;
  handlers: FrameHandlers;
  children: ReactNode;
}) {
  const frame = useRef<HTMLDivElement>(null);
  const dragged = useRef<{ x: number; y: number; far: number }>(undefined);
  const place = (event: { clientX: number; clientY: number }): Point => {
    const box = frame.current?.getBoundingClientRect();
    return {
      x: window.x + ((event.clientX - (box?.left ?? 0)) / width) * window.width,
      y: window.y + ((event.clientY - (box?.top ?? 0)) / height) * window.height,
    };
  };
  const zoom = useRef(handlers.onZoom);
  const at = useRef(place);
  useEffect(() => {
    zoom.current = handlers.onZoom;
    at.current = place;
  });
  useEffect(() => {
    const box = frame.current;
    const turn = (event: WheelEvent) => {
      event.preventDefault(); // React's own wheel listener may not keep the page from scrolling
      zoom.current(event.deltaY < 0 ? WHEEL : 1 / WHEEL, at.current(event));
    };
    box?.addEventListener('wheel', turn, { passive: false });
    return () => box?.removeEventListener('wheel', turn);
  }, []);
  const move = (event: PointerEvent) => {
    const start = dragged.current;
    if (start && event.buttons === 1) {
      const by = { x: event.clientX - start.x, y: event.clientY - start.y };
      dragged.current = { x: event.clientX, y: event.clientY, far: start.far + Math.hypot(by.x, by.y) };
      if (dragged.current.far > STILL)
        handlers.onPan({ x: (-by.x / width) * window.width, y: (-by.y / height) * window.height });
      return;
    }
    const { x, y } = place(event);
    const pixel = (share: number, pixels: number) => Math.min(pixels - 1, Math.max(0, Math.floor(share * pixels)));
    handlers.onPoint({ x: pixel(x, render.width), y: pixel(y, render.height) });
  };
  const cross = point && {
    left: (((point.x + 0.5) / render.width - window.x) / window.width) * 100,
    top: (((point.y + 0.5) / render.height - window.y) / window.height) * 100,
  };
  return (
    <div
      ref={frame}
      className={classes.picture}
      style={{ height, width }}
      onPointerDown={(event) => (dragged.current = { x: event.clientX, y: event.clientY, far: 0 })}
      onPointerMove={move}
      onClick={() => {
        if ((dragged.current?.far ?? 0) <= STILL) handlers.onHold();
        dragged.current = undefined;
      }}
    >
      {children}
      {cross && cross.left >= 0 && cross.left <= 100 && cross.top >= 0 && cross.top <= 100 && (
        <span className={classes.cross} style={{ left: `${cross.left}%`, top: `${cross.top}%` }} />
      )}
    </div>
  );
}
