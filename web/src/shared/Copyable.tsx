import { ActionIcon, CopyButton } from '@mantine/core';
import { IconCheck, IconCopy } from '@tabler/icons-react';

/** Something that was worked out, with a button that copies it. */
export function Copyable({ value, of, copied: content = value }: { value: string; of: string; copied?: string }) {
  return (
    <span className="copyable">
      {value}
      <CopyButton value={content} timeout={1500}>
        {({ copied, copy }) => (
          <ActionIcon size={18} variant="subtle" aria-label={`Copy ${of}`} title={copied ? 'Copied' : 'Copy'} onClick={copy}>
            {copied ? <IconCheck size={12} /> : <IconCopy size={12} />}
          </ActionIcon>
        )}
      </CopyButton>
    </span>
  );
}
