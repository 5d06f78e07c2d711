import type { Texture } from '../api/hooks';

/** Why a file has its space, in the words of the table: `rule 3`, `by hand`, `default`. */
export function reasonWord({ reason }: Texture['assignment']): string {
  if (reason.kind === 'rule') return `rule ${(reason.index ?? 0) + 1}`;
  return reason.kind === 'pin' ? 'by hand' : reason.kind;
}
