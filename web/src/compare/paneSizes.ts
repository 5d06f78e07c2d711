import type { Shown } from './shown';

export const GAP = 10;
export const PADDING = 24;
const CAPTION = 74;

/** Width over height of the picture that a pane shows, or else the one given. */
export const shapeOf = ({ render }: Shown, fallback: number) =>
  typeof render === 'string' ? fallback : render.width / render.height;

/** The largest size of a picture's own shape in a room. */
export function within(room: { width: number; height: number }, shown: Shown) {
  const shape = shapeOf(shown, room.width / room.height);
  return shape > room.width / room.height
    ? { width: room.width, height: Math.round(room.width / shape) }
    : { width: Math.round(room.height * shape), height: room.height };
}

/** The largest pictures of that shape of which `count` fit in rows and columns, or in `asked` columns. */
export function pictureSize(width: number, height: number, shape: number, count: number, asked?: number) {
  const fits = (columns: number) => {
    const rows = Math.ceil(count / columns);
    const most = (width - PADDING - GAP * (columns - 1)) / columns;
    const tallest = (height - PADDING - GAP * (rows - 1)) / rows - CAPTION;
    return Math.floor(Math.max(64, Math.min(most, tallest * shape)));
  };
  const fitting = Array.from({ length: count }, (_, at) => at + 1).reduce((best, next) =>
    fits(next) > fits(best) ? next : best,
  );
  const columns = Math.min(asked ?? fitting, count);
  const best = fits(columns);
  return { columns, width: best, height: Math.round(best / shape) };
}
