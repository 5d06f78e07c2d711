import { Button, TextInput } from '@mantine/core';
import { useState } from 'react';

import { api, body } from '../api/client';
import { type Finding, useChange, useProject } from '../api/hooks';

/** Set a finding aside, or all of its kind; the reason is kept with the project. */
export function Dismiss({ finding, all = false }: { finding: Pick<Finding, 'code' | 'subject' | 'title'>; all?: boolean }) {
  const based_on = useProject().data?.revision.number ?? 0;
  const [asks, setAsks] = useState(false);
  const [reason, setReason] = useState('');
  const dismiss = useChange((slug) =>
    body(
      api.POST('/api/v1/projects/{slug}/dismiss', {
        params: { path: { slug } },
        body: { code: finding.code, title: finding.title, subject: all ? '' : finding.subject, reason, based_on },
      }),
    ),
  );
  if (!asks) {
    return (
      <Button size="compact-xs" variant="subtle" onClick={() => setAsks(true)}>
        {all ? 'Dismiss all of this kind' : 'Dismiss'}
      </Button>
    );
  }
  return (
    <form
      className="row"
      style={{ alignItems: 'flex-end' }}
      aria-label={`Dismiss ${finding.title}`}
      onSubmit={(event) => {
        event.preventDefault();
        dismiss.mutate(undefined);
      }}
    >
      <TextInput
        label="Why it can stay"
        autoFocus
        maxLength={500}
        value={reason}
        onChange={(event) => setReason(event.currentTarget.value)}
        style={{ flex: 1 }}
      />
      <Button type="submit" disabled={!reason.trim()} loading={dismiss.isPending}>
        Dismiss
      </Button>
      <Button variant="subtle" onClick={() => setAsks(false)}>
        Cancel
      </Button>
    </form>
  );
}
