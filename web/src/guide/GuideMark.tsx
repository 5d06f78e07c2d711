import { ActionIcon } from '@mantine/core';
import { IconBook2 } from '@tabler/icons-react';

import { useGuide } from './useGuide';

/** Opens the guide on something, beside the work. */
export function GuideMark({ to, about }: { to: string; about: string }) {
  const guide = useGuide();
  if (!guide) return null;
  return (
    <ActionIcon variant="subtle" size="sm" aria-label={`Guide: ${about}`} title={`Guide: ${about}`} onClick={() => guide.go(to)}>
      <IconBook2 size={16} />
    </ActionIcon>
  );
}
