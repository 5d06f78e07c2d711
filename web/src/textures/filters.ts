import type { Finding, Texture } from '../api/hooks';
import { reasonWord } from './reason';

/** What the list of files is narrowed to; an empty word narrows nothing. */
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

export type FindingsByPath = Map<string, Finding[]>;

/** The findings about each path, worst first as they come. */
export function byPath(findings: Finding[]): FindingsByPath {
  const found: FindingsByPath = new Map();
  for (const finding of findings) found.set(finding.subject, [...(found.get(finding.subject) ?? []), finding]);
  return found;
}

export function narrowed(textures: Texture[], filters: Filters, findings: FindingsByPath): Texture[] {
  const words = filters.sought.toLowerCase().split(/\s+/);
  return textures.filter((texture) => {
    const own = findings.get(texture.path) ?? [];
    const text = `${texture.path} ${texture.assignment.space} ${texture.kind?.label ?? ''}`.toLowerCase();
    return (
      words.every((word) => text.includes(word)) &&
      fits(filters.kind, texture.kind?.key ?? NO_KIND) &&
      fits(filters.space, texture.assignment.space) &&
      fits(filters.reason, reasonWord(texture.assignment)) &&
      fits(filters.set, texture.member.key) &&
      (!filters.finding || own.some(({ code }) => filters.finding === ANY_FINDING || filters.finding === code))
    );
  });
}

const fits = (wanted: string, is: string) => !wanted || wanted === is;

/** A set of files, or a file that is in none. */
export interface Group {
  key: string;
  name: string;
  textures: Texture[];
}

/** Files by set, in the order of their paths; one file alone is no set. */
export function grouped(textures: Texture[]): Group[] {
  const groups = new Map<string, Group>();
  for (const texture of textures) {
    const { key, name } = texture.member;
    const group = groups.get(key);
    if (group) group.textures.push(texture);
    else groups.set(key, { key, name, textures: [texture] });
  }
  return [...groups.values()];
}

/** What a set holds, in few words: `4 maps · tiles 1001–1004 · 2k, 4k`. */
export function setSummary({ textures }: Group): string {
  const maps = new Set(textures.map(({ kind }) => kind?.label ?? 'other')).size;
  const tiles = textures.map(({ member }) => member.tile).filter(Boolean);
  const frames = textures.map(({ member }) => member.frame).filter(Boolean);
  const resolutions = [...new Set(textures.map(({ member }) => member.resolution).filter(Boolean))];
  return [
    `${textures.length} files`,
    maps > 1 && `${maps} maps`,
    tiles.length > 0 && `${span(tiles, 'tile')}`,
    frames.length > 0 && `${span(frames, 'frame')}`,
    resolutions.join(', '),
  ]
    .filter(Boolean)
    .join(' · ');
}

function span(values: string[], word: string): string {
  const sorted = [...new Set(values)].sort();
  return sorted.length === 1 ? `${word} ${sorted[0]}` : `${word}s ${sorted[0]}–${sorted.at(-1)}`;
}
