/** A count of bytes as people read it. */
export function megabytes(bytes: number): string {
  if (bytes >= 1e9) return `${(bytes / 1e9).toFixed(1)} GB`;
  return bytes >= 1e6 ? `${(bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)} MB` : `${Math.ceil(bytes / 1000)} kB`;
}

const figure = (value: number | null) => (value === null ? '–' : Number(value.toPrecision(3)).toString());

/** A number with so many decimals, with a true minus; what rounds to none has no sign. */
export function fixed(value: number, digits: number): string {
  const size = Math.abs(value).toFixed(digits);
  return value < 0 && Number(size) > 0 ? `−${size}` : size;
}

/** Values as people read them: three figures each, or a dash where there is none. */
export const figures = (values: (number | null)[]) => values.map(figure).join(' ');

/** The name at the end of a path. */
export const baseName = (path: string) => path.split('/').at(-1) ?? path;
