import { useLayoutEffect, useRef } from 'react';

import { type Render, useProject, useSlug, type ViewChoice } from '../api/hooks';
import { usePicture } from '../shared/usePicture';
import classes from './Compare.module.css';
import { Drawer, type Grade, type Marks, type Shot } from './drawer';
import { useDrawer, useLight, useProgram } from './live';

export interface LiveProps {
  render: Render;
  choice: ViewChoice;
  /** Stops. */
  exposure: number;
  width: number;
  height: number;
  window: Shot['window'];
  marks: Marks;
  grade: Grade;
}

const WHOLE = { x: 0, y: 0, width: 1, height: 1 };

/** A picture drawn by the engine's own program in this browser, or, where that cannot be, by the server; it says which. */
export function LivePicture(props: LiveProps) {
  const { render, choice, exposure, width, height, window, marks, grade } = props;
  const drawer = useDrawer();
  const light = useLight(render);
  const { key, program } = useProgram(choice);
  const canvas = useRef<HTMLCanvasElement>(null);
  const ratio = globalThis.devicePixelRatio;
  const refusal =
    drawer instanceof Drawer ? (program.data ? drawer.refusal(key, program.data) : undefined) : drawer.message;
  const isLive = refusal === undefined;
  useLayoutEffect(() => {
    if (!(drawer instanceof Drawer) || refusal || !light.data || !program.data || !canvas.current) return;
    const shot = { light: light.data, programKey: key, program: program.data, exposure, window, marks, grade };
    const size = { width: Math.round(width * ratio), height: Math.round(height * ratio) };
    const bitmap = drawer.draw({ ...shot, ...size });
    canvas.current.width = size.width;
    canvas.current.height = size.height;
    canvas.current.getContext('bitmaprenderer')?.transferFromImageBitmap(bitmap);
    canvas.current.dataset.drawn = `${key} ${exposure.toFixed(2)} ${marks} ${grade.place} ${grade.slope.join()}`;
  }, [drawer, refusal, light.data, program.data, key, exposure, width, height, window, marks, grade, ratio]);

  const failed = light.error ?? program.error;
  if (failed) {
    return (
      <span className={`${classes.waiting} small`} role="alert">
        {failed.message}
      </span>
    );
  }
  const label = `${render.name} through ${choice.view} on ${choice.display}`;
  if (!isLive) {
    return <ServerPicture {...props} label={label} why={grade.place === 'none' ? refusal : `${refusal} It shows no grade.`} />;
  }
  return (
    <>
      <canvas ref={canvas} role="img" aria-label={label} className={classes.canvas} style={{ width, height }} />
      {(!light.data || !program.data) && (
        <span className={`${classes.waiting} small`} role="status">
          computing …
        </span>
      )}
    </>
  );
}

/** The exact picture, drawn by the server. */
function ServerPicture({
  render,
  choice,
  exposure,
  width,
  height,
  window,
  label,
  why,
}: LiveProps & { label: string; why: string }) {
  const slug = useSlug();
  const project = useProject();
  const picture = usePicture(
    `/api/projects/${slug}/renders/${render.id}/picture?` +
      new URLSearchParams({
        display: choice.display,
        view: choice.view,
        look: choice.look,
        exposure: exposure.toFixed(2),
        size: String(Math.min(2048, Math.round((Math.max(width, height) / window.width) * globalThis.devicePixelRatio))),
        v: `${render.image}-${render.space}-${project.data?.revision.number}`,
      }),
  );
  const { x, y, ...part } = { ...WHOLE, ...window };
  return (
    <>
      {picture.shown && (
        <span className={classes.part}>
          <img
            src={picture.shown}
            alt={label}
            style={{
              height: height / part.height,
              left: (-x * width) / part.width,
              top: (-y * height) / part.height,
              width: width / part.width,
            }}
          />
        </span>
      )}
      <span className={`${classes.waiting} small`} role={picture.state === 'failed' ? 'alert' : 'status'}>
        {picture.state === 'loading' && 'computing …'}
        {picture.state === 'shown' && `drawn by the server: ${why}`}
        {picture.state === 'failed' && 'This view could not be drawn.'}
      </span>
    </>
  );
}
