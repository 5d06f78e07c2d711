import { Button, TextInput } from '@mantine/core';

import { type Config, useProject } from '../api/hooks';
import { useProposal } from '../shared/proposal';
import { useForget, useRemembered } from '../shared/remembered';
import classes from './Textures.module.css';

type Words = Record<string, string>;

/** The words in file names that tell a map kind. */
export function MapWords({ kinds }: { kinds: Config['map_kinds'] }) {
  const project = useProject();
  const words = project.data?.setup.kind_words ?? [];
  const saved = Object.fromEntries(
    kinds.map(({ key }) => [key, words.filter(({ kind }) => kind === key).map(({ word }) => word).join(', ')]),
  );
  return (
    <details className={classes.words}>
      <summary>Map kind words</summary>
      <WordsForm key={JSON.stringify(saved)} kinds={kinds} saved={saved} />
    </details>
  );
}

const TYPED = 'map words typed';

function WordsForm({ kinds, saved }: { kinds: Config['map_kinds']; saved: Words }) {
  const { propose } = useProposal();
  const [typed, setTyped] = useRemembered(TYPED, saved);
  const forget = useForget();
  const listed = kinds.flatMap(({ key }) =>
    (typed[key] ?? '')
      .split(/\s*,\s*/)
      .map((word) => word.trim().toLowerCase())
      .filter(Boolean)
      .map((word) => ({ word, kind: key })),
  );
  return (
    <form
      className="block"
      aria-label="Map words"
      onSubmit={(event) => {
        event.preventDefault();
        propose({ kind_words: listed }, 'Map words changed', TYPED);
      }}
    >
      <p className="quiet small">
        Whole words, in any case and spelling: a space is where a name may be split. The last word in a name decides.
      </p>
      {kinds.map(({ key, label }) => (
        <TextInput
          key={key}
          label={label}
          value={typed[key] ?? ''}
          onChange={(event) => setTyped({ ...typed, [key]: event.currentTarget.value })}
        />
      ))}
      <div className="row">
        <Button type="submit" variant="filled" disabled={kinds.every(({ key }) => typed[key] === saved[key])}>
          See what this changes
        </Button>
        <Button onClick={() => forget(TYPED)}>As saved</Button>
      </div>
    </form>
  );
}
