import { type PointerEvent, type ReactNode, useEffect, useRef, useState } from 'react';

import classes from './Compare.module.css';
import { type Pixel, probeKeys } from '../shared/probing';
import type { Shot } from './drawer';

/** A place of a picture, as shares of it from its upper left. */
export interface Point {
  x: number;
  y: number;
}

type Area = Shot['window'];

export interface FrameHandlers {
  onPoint: (point: Point) => void;
  /** A click: hold a probe there. */
  onHold: (point: Point) => void;
  /** A part that was marked with Shift held. */
  onRegion: (region: Area) => void;
  /** Magnify by a factor around a place of the picture, 0–1. */
  onZoom: (factor: number, at: Point) => void;
  /** Move by shares of the picture. */
  onPan: (by: Point) => void;
}

/** What stands on all pictures: the place pointed at, the probes held, the part that scopes are made of. */
export interface Standing {
  point: Point | undefined;
  probes: Point[];
  region: Area | undefined;
  /** Pixels of the picture. */
  pixels: { width: number; height: number };
}

const WHEEL = 1.2;
const STILL = 4;

const limited = (share: number) => Math.min(1, Math.max(0, share));
const between = (first: Point, second: Point): Area => ({
  x: Math.min(first.x, second.x),
  y: Math.min(first.y, second.y),
  width: Math.abs(first.x - second.x),
  height: Math.abs(first.y - second.y),
});

/** A picture's place on the table: pointing probes it, the wheel magnifies, dragging moves, or marks a part with Shift
 * held, and a click holds a probe. */
export function Frame({
  width,
  height,
  window,
  standing,
  handlers,
  children,
}: {
  width: number;
  height: number;
  window: Area;
  standing: Standing;
  handlers: FrameHandlers;
  children: ReactNode;
}) {
  const frame = useRef<HTMLDivElement>(null);
  const dragged = useRef<{ x: number; y: number; far: number; marks: Point | undefined }>(undefined);
  const [marked, setMarked] = useState<Area>();
  const place = (event: { clientX: number; clientY: number }): Point => {
    const box = frame.current?.getBoundingClientRect();
    return {
      x: limited(window.x + ((event.clientX - (box?.left ?? 0)) / width) * window.width),
      y: limited(window.y + ((event.clientY - (box?.top ?? 0)) / height) * window.height),
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
    if (!start || event.buttons !== 1) {
      handlers.onPoint(place(event));
      return;
    }
    const by = { x: event.clientX - start.x, y: event.clientY - start.y };
    dragged.current = { ...start, x: event.clientX, y: event.clientY, far: start.far + Math.hypot(by.x, by.y) };
    if (dragged.current.far <= STILL) return;
    if (start.marks) setMarked(between(start.marks, place(event)));
    else handlers.onPan({ x: (-by.x / width) * window.width, y: (-by.y / height) * window.height });
  };
  const drop = (event: PointerEvent) => {
    const { far = 0, marks } = dragged.current ?? {};
    dragged.current = undefined;
    setMarked(undefined);
    if (far <= STILL) handlers.onHold(place(event));
    else if (marks) handlers.onRegion(between(marks, place(event)));
  };
  const { pixels, point } = standing;
  const pixel = point && { x: Math.floor(point.x * pixels.width), y: Math.floor(point.y * pixels.height) };
  const shares = (at: Pixel): Point => ({ x: (at.x + 0.5) / pixels.width, y: (at.y + 0.5) / pixels.height });
  const press = probeKeys(
    pixels,
    pixel,
    (to) => handlers.onPoint(shares(to)),
    (held) => handlers.onHold(shares(held)),
  );
  const region = marked ?? standing.region;
  const across = (share: number) => ((share - window.x) / window.width) * 100;
  const down = (share: number) => ((share - window.y) / window.height) * 100;
  return (
    <div
      ref={frame}
      className={classes.picture}
      style={{ height, width }}
      tabIndex={0}
      role="group"
      aria-label="Picture to probe: arrow keys move, Enter holds"
      onKeyDown={press}
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        dragged.current = { x: event.clientX, y: event.clientY, far: 0, marks: event.shiftKey ? place(event) : undefined };
      }}
      onPointerMove={move}
      onPointerUp={(event) => dragged.current && drop(event)}
    >
      {children}
      <span className={classes.over}>
        {standing.point && (
          <span
            className={classes.cross}
            style={{ left: `${across(standing.point.x)}%`, top: `${down(standing.point.y)}%` }}
          />
        )}
        {standing.probes.map(({ x, y }, index) => (
          <span key={index} className={classes.held} style={{ left: `${across(x)}%`, top: `${down(y)}%` }}>
            {index + 1}
          </span>
        ))}
        {region && (
          <span
            className={classes.region}
            style={{
              left: `${across(region.x)}%`,
              top: `${down(region.y)}%`,
              width: `${(region.width / window.width) * 100}%`,
              height: `${(region.height / window.height) * 100}%`,
            }}
          />
        )}
      </span>
    </div>
  );
}
