import { Button, Loader, TextInput } from '@mantine/core';
import { useHotkeys } from '@mantine/hooks';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';

import { author, type Schemas, setAuthor } from '../api/client';
import { type SetupParts, useChangeSetup, useProject, useSlug } from '../api/hooks';
import { ChangeList } from './ChangeList';
import { FindingLine } from './FindingLine';
import { counted, Key } from './marks';
import { type Proposed, previewOf, useProposal } from './proposal';
import { Replacements } from './Replacements';

type Preview = Schemas['ChangePreview'];

const REDEFINED = 'defined differently';

/** The change that is proposed: what it would do, and whether it is saved. */
export function ProposedChange() {
  const { proposed } = useProposal();
  return proposed ? <Panel key={JSON.stringify(proposed.parts)} proposed={proposed} /> : null;
}

function Panel({ proposed }: { proposed: Proposed }) {
  const slug = useSlug();
  const project = useProject();
  const { drop, done, setMessage } = useProposal();
  const save = useChangeSetup(done);
  const panel = useRef<HTMLFormElement>(null);
  const message = proposed.message;
  const [name, setName] = useState(author());
  const revision = project.data?.revision.number;
  const preview = useQuery(previewOf(slug, revision, proposed.parts));
  useEffect(() => {
    panel.current?.scrollIntoView({ block: 'nearest' });
  }, []);
  useHotkeys([['Escape', drop]], []);
  const submit = () =>
    save.mutate({ ...proposed.parts, message: message.trim() });
  return (
    <form
      ref={panel}
      className="card chosen block"
      aria-label="Proposed change"
      onSubmit={(event) => {
        event.preventDefault();
        submit();
      }}
    >
      <div className="row spread">
        <h3>Proposed: {message}</h3>
        <span className="quiet small">
          <Key>Esc</Key> discards it
        </span>
      </div>
      <div className="row" style={{ alignItems: 'flex-end' }}>
        <TextInput
          label="Message"
          value={message}
          maxLength={200}
          onChange={(event) => setMessage(event.currentTarget.value)}
          style={{ flex: 1 }}
        />
        <TextInput
          label="Your name"
          placeholder="not said"
          w={120}
          value={name}
          maxLength={80}
          onChange={(event) => {
            setName(event.currentTarget.value);
            setAuthor(event.currentTarget.value);
          }}
        />
        <Button type="submit" variant="filled" loading={save.isPending} disabled={!preview.data || !message.trim()}>
          Save as a revision
        </Button>
        <Button onClick={drop} disabled={save.isPending}>
          Drop
        </Button>
      </div>
      {revision !== undefined && proposed.revision !== revision && (
        <p className="small">
          It was proposed at revision {proposed.revision}; the project is at {revision}. What is shown is what it would
          change there.
        </p>
      )}
      {preview.isPending && (
        <p role="status" className="row quiet">
          <Loader size="xs" color="neutral" /> Working out what it would change …
        </p>
      )}
      {preview.error && <p role="alert">{preview.error.message}</p>}
      {preview.data && <Consequences preview={preview.data} version={proposed.parts.target_version} />}
    </form>
  );
}

function Consequences({ preview, version }: { preview: Preview; version: SetupParts['target_version'] }) {
  const { changes, textures, gone_findings: gone, replacements } = preview;
  const isReplaced = version && replacements.length > 0;
  // What an older version cannot hold is told part by part, once.
  const told = isReplaced ? changes.filter((change) => change.after !== REDEFINED && !change.what.startsWith('interop ID of ')) : changes;
  const fresh = preview.new_findings.filter(({ code }) => !isReplaced || code !== 'config.replaced-for-target');
  const nothing = told.length + textures.length + fresh.length + gone.length === 0;
  return (
    <>
      {nothing && <p className="quiet">Nothing in the config would change.</p>}
      <ChangeList changes={told} label="Changes of the config" />
      {textures.length > 0 && (
        <>
          <p>{counted(preview.files, 'texture')} would be read in another space:</p>
          <ChangeList changes={textures} of={preview.files} label="Textures read differently" />
        </>
      )}
      {preview.compared < preview.files && (
        <p className="quiet small">Findings are compared for the first {counted(preview.compared, 'file')} of these.</p>
      )}
      {fresh.map((finding) => (
        <FindingLine key={finding.code + finding.subject} finding={finding} word="new" />
      ))}
      {gone.map((finding) => (
        <FindingLine key={finding.code + finding.subject} finding={finding} word="settled" />
      ))}
      {isReplaced && <Replacements replacements={replacements} version={version} />}
    </>
  );
}
