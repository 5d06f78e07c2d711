import { createContext, type ReactNode, useContext, useState } from 'react';

import type { SetupParts } from '../api/hooks';

/** A change of the setup that is looked at before it is saved. */
export interface Proposed {
  parts: SetupParts;
  message: string;
  /** What forms do once it is saved, such as closing. */
  onSaved: (() => void)[];
}

interface Proposal {
  proposed: Proposed | undefined;
  /** Show what a change would do. One of other parts of the setup joins what is proposed already. */
  propose: (parts: SetupParts, message: string, onSaved?: () => void) => void;
  drop: () => void;
}

const Context = createContext<Proposal | undefined>(undefined);

export function useProposal(): Proposal {
  const proposal = useContext(Context);
  if (!proposal) throw new Error('used outside a ProposalProvider');
  return proposal;
}

export function ProposalProvider({ children }: { children: ReactNode }) {
  const [proposed, setProposed] = useState<Proposed>();
  const propose = (parts: SetupParts, message: string, onSaved?: () => void) => {
    const joins = proposed && !Object.keys(parts).some((part) => part in proposed.parts);
    setProposed({
      parts: joins ? { ...proposed.parts, ...parts } : parts,
      message: joins ? `${proposed.message}; ${message}` : message,
      onSaved: [...(joins ? proposed.onSaved : []), ...(onSaved ? [onSaved] : [])],
    });
  };
  return (
    <Context.Provider value={{ proposed, propose, drop: () => setProposed(undefined) }}>{children}</Context.Provider>
  );
}
