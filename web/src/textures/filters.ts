import type { Rule } from '../api/hooks';
import type { TextureSet } from './useTextureList';

/** What the list of files is narrowed to, as the server takes it; an empty word narrows nothing. */
export interface Filters {
  sought: string;
  kind: string;
  space: string;
  reason: string;
  finding: string;
  set: string;
}

export const NO_FILTERS: Filters = { sought: '', kind: '', space: '', reason: '', finding: '', set: '' };

/** Stands for files with any finding at all. */
export const ANY_FINDING = 'any';

/** Stands for files in whose name no word tells a map kind. */
export const NO_KIND = 'none';

const RULE = 'rule:';

/** A way of being assigned as the server names it, in the words of the table. */
export function reasonLabel(value: string, rules: Rule[]): string {
  if (value === 'pin') return 'set by hand';
  if (!value.startsWith(RULE)) return value;
  const at = rules.findIndex(({ name }) => name === value.slice(RULE.length));
  return at < 0 ? 'a rule' : `rule ${at + 1}`;
}

/** What a set holds, in few words: `4 files · 4 maps · tiles 1001–1004 · 2k–4k`. */
export function setSummary(set: TextureSet): string {
  return [
    `${set.files} files`,
    set.kinds > 1 && `${set.kinds} maps`,
    span('tile', set.first_tile, set.last_tile),
    span('frame', set.first_frame, set.last_frame),
    set.first_resolution === set.last_resolution ? set.first_resolution : `${set.first_resolution}, ${set.last_resolution}`,
  ]
    .filter(Boolean)
    .join(' · ');
}

const span = (word: string, first: string, last: string) =>
  !first ? '' : first === last ? `${word} ${first}` : `${word}s ${first}–${last}`;
