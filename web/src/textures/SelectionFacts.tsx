import { Button, TextInput } from '@mantine/core';
import { useState } from 'react';

import { api, body } from '../api/client';
import { type Texture, useChange } from '../api/hooks';
import { Facts } from '../shared/Facts';
import { SpaceSelect } from '../shared/SpaceSelect';
import type { FindingsByPath } from './filters';
import { reasonWord } from './reason';
import { usePins } from './usePins';

/** What several selected files are, and what can be done to all of them at once. */
export function SelectionFacts({
  textures,
  findings,
  onRunRules,
  onConvert,
}: {
  textures: Texture[];
  findings: FindingsByPath;
  onRunRules: () => void;
  onConvert: () => void;
}) {
  const [space, setSpace] = useState<string | null>(null);
  const [note, setNote] = useState('');
  const { pin, isPending } = usePins();
  const remove = useRemove(textures);
  const withFinding = textures.filter(({ path }) => findings.has(path)).length;
  return (
    <>
      <h2>{textures.length} files selected</h2>
      <p className="quiet small">{withFinding === 0 ? 'None has a finding.' : `${withFinding} of them with a finding.`}</p>
      <form
        className="block"
        aria-label="Pin all"
        onSubmit={(event) => {
          event.preventDefault();
          if (space) pin(textures, space, note);
        }}
      >
        <SpaceSelect label="Pin all to" placeholder="Choose a space" value={space} onChange={setSpace} />
        <TextInput label="Why they are pinned" value={note} onChange={(event) => setNote(event.currentTarget.value)} />
        <div className="row">
          <Button type="submit" variant="filled" disabled={!space} loading={isPending}>
            Pin {textures.length} files
          </Button>
          <Button onClick={onRunRules}>Run rules again</Button>
        </div>
      </form>
      <Counts title="Read as" values={textures.map(({ assignment }) => assignment.space)} />
      <Counts title="Map kinds" values={textures.map(({ kind }) => kind?.label ?? 'not told')} />
      <Counts title="Because" values={textures.map(({ assignment }) => reasonWord(assignment))} />
      <div className="row">
        <Button onClick={onConvert}>Convert</Button>
        <Button variant="subtle" onClick={() => remove.mutate(undefined)} loading={remove.isPending}>
          Take out of the project
        </Button>
      </div>
    </>
  );
}

/** Take files out of the project; their content stays. */
export function useRemove(textures: Texture[]) {
  return useChange((slug) =>
    body(
      api.POST('/api/projects/{slug}/textures/remove', {
        params: { path: { slug } },
        body: { textures: textures.map(({ id }) => id) },
      }),
    ),
  );
}

function Counts({ title, values }: { title: string; values: string[] }) {
  const counts = new Map<string, number>();
  for (const value of values) counts.set(value, (counts.get(value) ?? 0) + 1);
  const sorted = [...counts].sort(([, one], [, other]) => other - one);
  return (
    <div className="block">
      <h3>{title}</h3>
      <Facts facts={sorted.map(([name, count]) => ({ name, value: String(count) }))} />
    </div>
  );
}
