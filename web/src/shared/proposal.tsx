import { useProject, type SetupParts } from '../api/hooks';
import { tellWith } from './tellWith';
import { useForget, useRemembered } from './remembered';

/** A change of the setup that is looked at before it is saved. */
export interface Proposed {
  parts: SetupParts;
  message: string;
  /** The revision that it was made for. */
  revision: number;
  /** Names of forms, as they are kept, that close once it is saved. */
  closes: string[];
}

/** The proposal of the project. It stays until it is saved or dropped, whatever page is shown meanwhile. */
export function useProposal() {
  const revision = useProject().data?.revision.number ?? 0;
  const [proposed, setProposed] = useRemembered<Proposed | null>('proposed', null);
  const forget = useForget();
  return {
    proposed: proposed ?? undefined,
    /** Show what a change would do. One of other parts of the setup joins what is proposed already. */
    propose: (parts: SetupParts, message: string, ...closes: string[]) => {
      const joins = proposed && !Object.keys(parts).some((part) => part in proposed.parts);
      setProposed({
        parts: joins ? { ...proposed.parts, ...parts } : parts,
        message: joins ? `${proposed.message}; ${message}` : message,
        revision: joins ? proposed.revision : revision,
        closes: [...(joins ? proposed.closes : []), ...closes],
      });
    },
    setMessage: (message: string) => proposed && setProposed({ ...proposed, message }),
    drop: () => {
      setProposed(null);
      if (proposed) tellWith(`Dropped: ${proposed.message}.`, 'Propose again', () => setProposed(proposed));
    },
    /** It was saved: forms that led to it begin anew. */
    done: () => {
      setProposed(null);
      forget(...(proposed?.closes ?? []));
    },
  };
}
