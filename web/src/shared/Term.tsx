import { Tooltip } from '@mantine/core';

import { useGlossary } from '../api/hooks';

/** A word of the glossary, which tells its meaning to who points at it or reaches it by keyboard. */
export function Term({ of, children }: { of: string; children?: string }) {
  const meaning = useGlossary().data?.find(({ term }) => term === of)?.meaning;
  if (!meaning) return children ?? of;
  return (
    <Tooltip label={meaning} multiline w={260} events={{ hover: true, focus: true, touch: true }}>
      <span tabIndex={0} className="term">
        {children ?? of}
      </span>
    </Tooltip>
  );
}
