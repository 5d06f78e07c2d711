import type { Texture } from '../api/hooks';

/** Why a file has its space, in the words of the table: `rule 3`, `pin`, `default`. */
export function reasonWord({ reason }: Texture['assignment']): string {
  return reason.kind === 'rule' ? `rule ${(reason.index ?? 0) + 1}` : reason.kind;
}
