import type { UseMutationResult } from '@tanstack/react-query';

import type { Schemas } from '../api/client';
import { DifferenceTable } from '../shared/DifferenceTable';

export type Comparison = Schemas['ConfigComparison'];

const VERDICTS: Record<Comparison['verdict'], string> = {
  identical: 'They are identical, to the byte.',
  'same meaning': 'They mean the same: every space and view gives the same colours, whatever its name.',
  different: 'They are different.',
};

/** Whether two configs are the same, and where not; and that it is being found out. */
export function ConfigComparison<Asked>({
  of: compare,
  names,
}: {
  of: UseMutationResult<Comparison, Error, Asked>;
  names: string[];
}) {
  if (compare.isPending) {
    return (
      <p role="status" className="quiet">
        Sending 4,296 colours through every space and view of both. This takes some seconds.
      </p>
    );
  }
  if (!compare.data) return null;
  return (
    <div className="block" role="status" aria-label="Comparison">
      <h3>{VERDICTS[compare.data.verdict]}</h3>
      <p className="quiet small">
        From {names[0]} to {names[1]}.
      </p>
      <DifferenceTable differences={compare.data.differences} />
    </div>
  );
}
