import { Button, TextInput } from '@mantine/core';
import { useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { type Rule, useProject } from '../api/hooks';
import { Facts } from '../shared/Facts';
import { counted } from '../shared/marks';
import { SpaceSelect } from '../shared/SpaceSelect';
import { useRemoval } from '../shared/useUndo';
import { reasonLabel } from './filters';
import { usePins } from './usePins';
import { useSummary } from './useSummary';

/** What several selected files are, and what can be done to all of them at once. */
export function SelectionFacts({
  ids,
  onRunRules,
  onConvert,
  onRemoved,
}: {
  ids: number[];
  onRunRules: () => void;
  onConvert: () => void;
  onRemoved: () => void;
}) {
  const [space, setSpace] = useState<string | null>(null);
  const [note, setNote] = useState('');
  const { pin, isPending } = usePins();
  const remove = useRemove(ids);
  const rules = (useProject().data?.setup.rules ?? []) as Rule[];
  const { data: found } = useSummary(ids);
  const count = ids.length.toLocaleString('en-GB');
  const reasons = found?.reasons.map((choice) => ({ ...choice, label: reasonLabel(choice.value, rules) }));
  return (
    <>
      <h2>{count} files selected</h2>
      {found && (
        <p className="quiet small">
          {found.with_finding === 0 ? 'None has a finding.' : `${found.with_finding.toLocaleString('en-GB')} of them with a finding.`}
        </p>
      )}
      <form
        className="block"
        aria-label="Set all by hand"
        onSubmit={(event) => {
          event.preventDefault();
          if (space && found) pin(found.chosen, space, note);
        }}
      >
        <SpaceSelect label="Set all to" placeholder="Choose a space" value={space} onChange={setSpace} />
        <TextInput label="Reason" value={note} onChange={(event) => setNote(event.currentTarget.value)} />
        <div className="row">
          <Button type="submit" variant="filled" disabled={!space || !found} loading={isPending}>
            Set {count} files
          </Button>
          <Button onClick={onRunRules}>Apply rules again</Button>
        </div>
      </form>
      <Counts title="Read as" choices={found?.spaces} />
      <Counts title="Map kinds" choices={found?.kinds} />
      <Counts title="Because" choices={reasons} />
      <div className="row">
        <Button onClick={onConvert}>Convert</Button>
        <Button
          variant="subtle"
          onClick={() => remove.mutate(undefined, { onSuccess: onRemoved })}
          loading={remove.isPending}
        >
          Remove
        </Button>
      </div>
    </>
  );
}

/** Take files out of the project; their content stays. */
export function useRemove(ids: number[]) {
  return useRemoval(
    (slug) =>
      body(
        api.POST('/api/v1/projects/{slug}/textures/remove', {
          params: { path: { slug } },
          body: { textures: ids },
        }),
      ),
    counted(ids.length, 'texture'),
  );
}

function Counts({ title, choices = [] }: { title: string; choices?: Schemas['Choice'][] }) {
  const sorted = [...choices].sort((one, other) => other.count - one.count);
  return (
    <div className="block">
      <h3>{title}</h3>
      <Facts facts={sorted.map(({ label, count }) => ({ name: label, value: count.toLocaleString('en-GB') }))} />
    </div>
  );
}
