import type { Triple } from '../api/hooks';

/** A CSS colour of code values on 0–1, shown as they are; what does not fit is cut. */
export function css(values: Triple): string {
  const [red, green, blue] = values.map((value) => Math.round(Math.min(1, Math.max(0, value ?? 0)) * 255));
  return `rgb(${red} ${green} ${blue})`;
}

export type CodeUnit = '0–1' | '8-bit';

/** One number for the screen: four significant figures of light, or a whole 8-bit step. */
export function figure(value: number | null, unit: CodeUnit = '0–1'): string {
  if (value === null) return '–';
  if (unit === '8-bit') return String(Math.round(Math.min(1, Math.max(0, value)) * 255));
  const rounded = Number(value.toPrecision(4)); // 0.99999 has as many decimals as 1
  const size = Math.abs(rounded);
  if (size < 0.00005) return '0.0000';
  return rounded.toFixed(size >= 1000 ? 0 : size >= 100 ? 1 : size >= 10 ? 2 : size >= 1 ? 3 : 4).replace('-', '−');
}

export const figures = (values: Triple, unit: CodeUnit = '0–1') => values.map((value) => figure(value, unit)).join(' ');

/** Stops or degrees with their sign, as `+1.5`; what rounds to none is `+0.0`. */
export function stops(value: number | null, digits = 1): string {
  if (value === null) return '–';
  const size = Math.abs(value).toFixed(digits);
  return `${value < 0 && Number(size) > 0 ? '−' : '+'}${size}`;
}

/** `sRGB - Display` → `sRGB`: displays carry the word in many configs, and it says nothing beside a view. */
export const displayName = (name: string) => name.replace(/ - Display$/, '');

/** A view in few words: what stands before the first dash, which in many configs names the rendering. */
export const shortView = (name: string) => name.split(' - ')[0] ?? name;

const VALUE_WORDS = {
  unit: '0–1',
  '8-bit': '8-bit',
  '10-bit': '10-bit',
  hex: '',
  hsv: 'HSV',
  hsl: 'HSL',
  xyY: 'xyY',
  kelvin: 'K',
  daylight: 'K daylight',
} as const;

export const unitWord = (unit: keyof typeof VALUE_WORDS) => VALUE_WORDS[unit];
