import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useLayoutEffect, useRef } from 'react';

import { useProject, useSlug } from '../api/hooks';
import { displayName } from '../shared/colour';
import { usePicture } from '../shared/usePicture';
import classes from './Compare.module.css';
import { Drawer, type Grade, type Marks, type Shot } from './drawer';
import { type Target, useDetail, useDrawer, useLight, useProgram } from './live';
import { pictureName, type ScreenChoice, type Shown, useScreen } from './shown';

export interface LiveProps {
  shown: Shown;
  width: number;
  height: number;
  window: Shot['window'];
  marks: Marks;
  grade: Grade;
  /** Without what is said of the screen, where others stand beside it. */
  silent?: boolean;
}

const WHOLE = { x: 0, y: 0, width: 1, height: 1 };

type DisplayKind = 'none' | 'srgb' | 'display-p3' | 'sdr' | 'hdr';

/** A picture drawn by the engine's own program in this browser, or, where that cannot be, by the server; it says which. */
export function LivePicture(props: LiveProps) {
  const { shown, width, height, window, marks, grade } = props;
  const screen = useScreen();
  const drawer = useDrawer();
  const light = useLight(shown);
  const codes = useProgram(shown);
  const kind = codes.program.data?.light;
  const { target, drawnFor, note } = wayToScreen(kind, displayName(shown.choice.display), screen, marks, grade);
  const other = useProgram(shown, target, target !== 'codes' && kind !== undefined);
  const { key, program } = target === 'codes' ? codes : other;
  const canvas = useRef<HTMLCanvasElement>(null);
  const ratio = globalThis.devicePixelRatio;
  const detail = useDetail(shown, light.data, window, width * ratio);
  const refusal =
    drawer instanceof Drawer ? (program.data ? drawer.refusal(key, program.data) : undefined) : drawer.message;
  const isLive = refusal === undefined;
  const { exposure } = shown;
  const drawnLight = detail?.light ?? light.data;
  const drawnWindow = detail?.window ?? window;
  const place = JSON.stringify(drawnWindow);
  useLayoutEffect(() => {
    if (!(drawer instanceof Drawer) || refusal || !drawnLight || !program.data || !canvas.current) return;
    const size = { width: Math.round(width * ratio), height: Math.round(height * ratio) };
    const bitmap = drawer.draw({
      light: drawnLight,
      programKey: key,
      program: program.data,
      exposure,
      window: JSON.parse(place) as Shot['window'],
      marks,
      grade,
      inNits: target === 'light',
      screen: drawnFor,
      ...size,
    });
    canvas.current.width = size.width;
    canvas.current.height = size.height;
    canvas.current.getContext('bitmaprenderer')?.transferFromImageBitmap(bitmap);
    canvas.current.dataset.drawn = `${key} ${exposure.toFixed(2)} ${marks} ${grade.place} ${grade.slope.join()} ${grade.exposure} ${grade.log} ${grade.curve.join()} ${drawnFor}`;
    canvas.current.dataset.pixels = `${drawnLight.width} × ${drawnLight.height}`;
  }, [drawer, refusal, drawnLight, program.data, key, exposure, width, height, place, marks, grade, ratio, target, drawnFor]);

  const failed = light.error ?? program.error;
  const client = useQueryClient();
  const slug = useSlug();
  const refused = failed?.message;
  useEffect(() => {
    // What is shown may have gone by a change in another window: the project is asked for as it stands now. Once for
    // each refusal: what is asked for then may be refused again.
    if (refused) void client.invalidateQueries({ queryKey: [slug], refetchType: 'active' });
  }, [refused, client, slug]);
  if (failed) {
    return (
      <span className={`${classes.waiting} small`} role="alert">
        {failed.message}
      </span>
    );
  }
  const label = `${pictureName(shown)} through ${shown.choice.view} on ${shown.choice.display}`;
  if (!isLive && typeof shown.render !== 'string') {
    const lacks = [
      kind && kind !== 'none' && kind !== 'srgb' ? 'It shows code values as they stand.' : '',
      grade.place === 'none' ? '' : 'It shows no grade.',
    ];
    return <ServerPicture {...props} label={label} why={[refusal, ...lacks].filter(Boolean).join(' ')} />;
  }
  const lost = noNumbers(shown);
  return (
    <>
      <canvas ref={canvas} role="img" aria-label={label} className={classes.canvas} style={{ width, height }} />
      {(!light.isWhole || !program.data) && (
        <span className={`${classes.waiting} small`} role="status">
          {!isLive ? refusal : light.data ? 'reading the large picture …' : 'computing …'}
        </span>
      )}
      {lost && light.data && <span className={`${classes.waiting} small`}>{lost}</span>}
      {note && !props.silent && <span className={`${classes.note} small`}>{note}</span>}
    </>
  );
}

/** What to ask a program for, what the canvas is drawn for, and what to say of it. */
function wayToScreen(
  kind: DisplayKind | undefined,
  display: string,
  { onScreen, screen }: ScreenChoice,
  marks: Marks,
  grade: Grade,
): { target: Target; drawnFor: ScreenChoice['screen']; note: string } {
  const plain = (note: string) => ({ target: 'codes' as const, drawnFor: 'srgb' as const, note });
  if (kind === undefined || kind === 'none') return plain('');
  if (marks !== 'picture') return plain('');
  if (onScreen === 'nits') return { target: 'light', drawnFor: 'srgb', note: '' };
  if (kind === 'srgb') return plain('');
  if (kind === 'display-p3' && screen === 'display-p3' && onScreen === 'light')
    return { target: 'codes', drawnFor: 'display-p3', note: 'in Display P3, which this screen has' };
  if (onScreen === 'codes' || grade.place === 'after')
    return plain(`code values for ${display}, shown on this screen as they stand`);
  const where = screen === 'srgb' ? 'sRGB' : 'Display P3';
  const note =
    kind === 'hdr'
      ? `SDR rendering: 203 nits are white here, what is brighter is cut`
      : `the light of ${display} in ${where}; what that cannot show is cut`;
  return { target: screen, drawnFor: screen, note };
}

/** What to say of a picture that holds what is no number. */
function noNumbers({ render }: Shown): string {
  if (typeof render === 'string' || !render.non_finite) return '';
  if (render.non_finite >= 3 * render.width * render.height)
    return 'Every pixel of this picture is NaN or infinite. Render it again.';
  return `${render.non_finite.toLocaleString('en')} samples are NaN or infinite; they are drawn as the GPU draws them`;
}

/** The exact picture, drawn by the server. */
function ServerPicture({ shown, width, height, window, label, why }: LiveProps & { label: string; why: string }) {
  const slug = useSlug();
  const project = useProject();
  const { render, choice, exposure, layer, working, revision } = shown;
  const { id, image, space } = render as Exclude<Shown['render'], string>;
  const picture = usePicture(
    `/api/v1/projects/${slug}/renders/${id}/picture?` +
      new URLSearchParams({
        ...choice,
        layer,
        exposure: exposure.toFixed(2),
        ...(working ? { working } : {}),
        ...(revision === undefined ? {} : { revision: String(revision) }),
        size: String(Math.min(2048, Math.round((Math.max(width, height) / window.width) * globalThis.devicePixelRatio))),
        v: `${image}-${space}-${project.data?.revision.number}`,
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
