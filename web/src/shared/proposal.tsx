import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';

import { api, body, errorAt } from '../api/client';
import { useProject, useSlug, type SetupParts } from '../api/hooks';
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

/** What a change of the setup would do to the project as it stands. */
export const previewOf = (slug: string, revision: number | undefined, parts: SetupParts) => ({
  queryKey: [slug, 'setup-preview', revision, parts],
  queryFn: () => body(api.POST('/api/v1/projects/{slug}/setup-preview', { params: { path: { slug } }, body: parts })),
  retry: false as const,
});

/** A form whose content is proposed once it can be saved; until then `errorAt` says what is wrong with which field. */
export function useFormProposal() {
  const slug = useSlug();
  const revision = useProject().data?.revision.number;
  const client = useQueryClient();
  const { propose } = useProposal();
  const [refused, setRefused] = useState<Error | null>(null);
  const [isBusy, setIsBusy] = useState(false);
  return {
    isBusy,
    /** What was refused of a field; without one, what is known of none of the `marked` fields. */
    errorAt: (field: string, marked: string[]) => errorAt(refused, field, marked),
    /** Whether it could be proposed. */
    submit: async (...[parts, message, ...closes]: Parameters<typeof propose>) => {
      setIsBusy(true);
      try {
        await client.fetchQuery(previewOf(slug, revision, parts));
        setRefused(null);
        propose(parts, message, ...closes);
        return true;
      } catch (error) {
        setRefused(error as Error);
        return false;
      } finally {
        setIsBusy(false);
      }
    },
  };
}

export type FormProposal = ReturnType<typeof useFormProposal>;

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
