/** What is seen on the table, as one PNG and as a page that holds all it needs. */

const FONT = '13px "Atkinson Hyperlegible Next Variable", sans-serif';
const LINE = 20;
const PADDING = 16;
const GAP = 12;

/** A picture of the table, with what stands below it. */
interface Part {
  canvas: HTMLCanvasElement;
  caption: string;
}

/** Draw every picture and plot of the table, in the order of the page. */
async function partsOf(table: HTMLElement): Promise<Part[]> {
  const parts: Part[] = [];
  for (const element of table.querySelectorAll<HTMLElement>('figure, svg[role="img"]')) {
    if (element instanceof SVGElement) {
      if (!element.closest('figure')) parts.push({ canvas: await plotOf(element as unknown as SVGSVGElement), caption: element.ariaLabel ?? '' });
    } else {
      parts.push(await figureOf(element));
    }
  }
  return parts;
}

/** A figure as it is seen: its pictures over each other, clipped or subtracted as on the page. */
async function figureOf(figure: HTMLElement): Promise<Part> {
  const caption = figure.dataset.caption ?? figure.querySelector('figcaption')?.textContent ?? '';
  const plot = figure.querySelector<SVGSVGElement>('svg[role="img"]');
  if (plot) return { canvas: await plotOf(plot), caption };
  const pictures = [...figure.querySelectorAll<HTMLCanvasElement | HTMLImageElement>('canvas, img')];
  const frame = pictures[0]?.closest<HTMLElement>('[class*="picture"]') ?? pictures[0];
  const box = frame?.getBoundingClientRect() ?? new DOMRect(0, 0, 1, 1);
  const ratio = globalThis.devicePixelRatio;
  const { canvas, context } = blank(box.width * ratio, box.height * ratio);
  context.scale(ratio, ratio);
  context.imageSmoothingEnabled = false;
  for (const picture of pictures) {
    const at = picture.getBoundingClientRect();
    const layer = picture.closest<HTMLElement>('[class*="layer"]');
    const style = layer && getComputedStyle(layer);
    context.save();
    if (style && style.clipPath !== 'none') clip(context, style.clipPath, box);
    if (style?.mixBlendMode === 'difference') context.globalCompositeOperation = 'difference';
    context.drawImage(picture, at.left - box.left, at.top - box.top, at.width, at.height);
    context.restore();
  }
  const brightness = getComputedStyle(figure.querySelector('[class*="stack"]') ?? figure).filter;
  return { canvas: brightness === 'none' ? canvas : filtered(canvas, brightness), caption };
}

function filtered(canvas: HTMLCanvasElement, filter: string): HTMLCanvasElement {
  const { canvas: made, context } = blank(canvas.width, canvas.height);
  context.filter = filter;
  context.drawImage(canvas, 0, 0);
  return made;
}

function blank(width: number, height: number) {
  const canvas = document.createElement('canvas');
  canvas.width = Math.max(1, Math.round(width));
  canvas.height = Math.max(1, Math.round(height));
  const context = canvas.getContext('2d');
  if (!context) throw new Error('This browser cannot draw the picture to save.');
  return { canvas, context };
}

/** A CSS polygon in per cent, as a clip of a context. */
function clip(context: CanvasRenderingContext2D, polygon: string, box: DOMRect) {
  const numbers = [...polygon.matchAll(/(-?[\d.]+)%/g)].map(([, number]) => Number(number) / 100);
  context.beginPath();
  for (let at = 0; at + 1 < numbers.length; at += 2)
    context.lineTo((numbers[at] ?? 0) * box.width, (numbers[at + 1] ?? 0) * box.height);
  context.clip();
}

const DRAWN = ['fill', 'stroke', 'stroke-width', 'stroke-dasharray', 'font', 'text-anchor', 'opacity', 'stroke-linecap'];

/** A plot with the styles of the page written into it. */
function styled(plot: SVGSVGElement): SVGSVGElement {
  const copy = plot.cloneNode(true) as SVGSVGElement;
  const box = plot.getBoundingClientRect();
  copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg');
  copy.setAttribute('width', String(box.width));
  copy.setAttribute('height', String(box.height));
  const made = [copy, ...copy.querySelectorAll('*')] as SVGElement[];
  [plot, ...plot.querySelectorAll('*')].forEach((element, index) => {
    const style = getComputedStyle(element);
    DRAWN.forEach((name) => made[index]?.style.setProperty(name, style.getPropertyValue(name)));
  });
  return copy;
}

async function plotOf(plot: SVGSVGElement): Promise<HTMLCanvasElement> {
  const box = plot.getBoundingClientRect();
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(new XMLSerializer().serializeToString(styled(plot)))}`;
  await image.decode();
  const ratio = 2; // lines stay sharp when the picture is enlarged
  const { canvas, context } = blank(box.width * ratio, box.height * ratio);
  context.fillStyle = getComputedStyle(document.body).backgroundColor;
  context.fillRect(0, 0, canvas.width, canvas.height);
  context.drawImage(image, 0, 0, canvas.width, canvas.height);
  return canvas;
}

/** All that is seen as one PNG: pictures as they stand on the page, in rows, each with its caption below. */
export async function asPng(table: HTMLElement, title: string): Promise<Blob> {
  const parts = await partsOf(table);
  const columns = Math.max(1, Math.round(Math.sqrt(parts.length)));
  const cell = Math.max(...parts.map(({ canvas }) => canvas.width));
  const measure = blank(1, 1).context;
  measure.font = FONT;
  const laid = parts.map((part) => ({ ...part, lines: wrapped(measure, part.caption, cell) }));
  const rows = Array.from({ length: Math.ceil(laid.length / columns) }, (_, row) => laid.slice(row * columns, (row + 1) * columns));
  const heights = rows.map((row) => Math.max(...row.map(({ canvas, lines }) => canvas.height + lines.length * LINE + 6)));
  const width = columns * cell + (columns - 1) * GAP + 2 * PADDING;
  const height = heights.reduce((sum, one) => sum + one + GAP, 0) + 2 * PADDING + LINE;
  const { canvas, context } = blank(width, height);
  context.fillStyle = getComputedStyle(table).backgroundColor.replace('rgba(0, 0, 0, 0)', '#2b2b2b');
  context.fillRect(0, 0, width, height);
  context.font = FONT;
  context.fillStyle = isLight(context.fillStyle) ? '#1f1f1f' : '#ededed';
  context.fillText(title, PADDING, PADDING + LINE - 7);
  let top = PADDING + LINE;
  rows.forEach((row, index) => {
    row.forEach(({ canvas: picture, lines }, column) => {
      const left = PADDING + column * (cell + GAP);
      context.drawImage(picture, left, top);
      lines.forEach((line, number) => context.fillText(line, left, top + picture.height + (number + 1) * LINE - 4));
    });
    top += (heights[index] ?? 0) + GAP;
  });
  return new Promise((settle, fail) =>
    canvas.toBlob((blob) => (blob ? settle(blob) : fail(new Error('The picture is too large to save.')))),
  );
}

const isLight = (colour: string) => parseInt(colour.slice(1, 3), 16) > 140;

function wrapped(context: CanvasRenderingContext2D, text: string, width: number): string[] {
  const lines = [''];
  for (const word of text.split(' ')) {
    const longer = `${lines.at(-1)} ${word}`.trim();
    if (context.measureText(longer).width <= width || lines.at(-1) === '') lines[lines.length - 1] = longer;
    else lines.push(word);
  }
  return lines;
}

const escaped = (text: string) => text.replace(/[&<>"]/g, (mark) => `&#${mark.charCodeAt(0)};`);

/** All that is seen as a page that needs nothing else: pictures, plots and tables, with their captions and notes. */
export async function asPage(table: HTMLElement, title: string, facts: string, notes: string): Promise<Blob> {
  const parts = await partsOf(table);
  const figures = parts.map(
    ({ canvas, caption }) =>
      `<figure><img src="${canvas.toDataURL('image/png')}" alt="${escaped(caption)}"><figcaption>${escaped(caption)}</figcaption></figure>`,
  );
  const tables = [...table.querySelectorAll('table')].map((found) => `<table>${tableRows(found)}</table>`);
  const page = `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>${escaped(title)}</title>
<style>
body { background: #2b2b2b; color: #ededed; font: 15px/1.5 sans-serif; margin: 24px; }
figure { display: inline-block; margin: 0 12px 20px 0; vertical-align: top; max-width: 100%; }
img { display: block; max-width: 100%; } figcaption { color: #b3b3b3; max-width: 70ch; }
table { border-collapse: collapse; } td, th { padding: 3px 10px; text-align: left; border-top: 1px solid #444; }
p { max-width: 70ch; white-space: pre-wrap; }
</style></head><body><h1>${escaped(title)}</h1><p>${escaped(facts)}</p>${notes ? `<p>${escaped(notes)}</p>` : ''}
${figures.join('\n')}
${tables.join('\n')}
</body></html>`;
  return new Blob([page], { type: 'text/html' });
}

const tableRows = (table: HTMLTableElement) =>
  [...table.rows]
    .map((row) => `<tr>${[...row.cells].map((cell) => `<td>${escaped(cell.textContent ?? '')}</td>`).join('')}</tr>`)
    .join('');

export function download(blob: Blob, name: string) {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
