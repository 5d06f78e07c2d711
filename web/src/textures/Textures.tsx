import { Button, Select, TextInput } from '@mantine/core';
import { Dropzone } from '@mantine/dropzone';
import { useHotkeys } from '@mantine/hooks';
import { useRef, useState } from 'react';

import { type Texture, useConfig, useFindings, useTextures } from '../api/hooks';
import { ProposalProvider } from '../shared/proposal';
import { ProposedChange } from '../shared/ProposedChange';
import { Empty, Loaded } from '../shared/states';
import { Rules } from './Rules';
import { TextureFacts } from './TextureFacts';
import { TextureTable } from './TextureTable';
import classes from './Textures.module.css';
import { useUpload } from './useUpload';

/** Which space each file is read in, and why. */
export function Textures() {
  const textures = useTextures();
  const findings = useFindings();
  const config = useConfig();
  const upload = useUpload();
  const search = useRef<HTMLInputElement>(null);
  const openPicker = useRef<() => void>(null);
  const [sought, setSought] = useState('');
  const [kind, setKind] = useState('');
  const [onlyFindings, setOnlyFindings] = useState(false);
  const [selectedId, setSelectedId] = useState<number>();

  const found = new Set(findings.data?.map((finding) => finding.subject));
  const shown = (textures.data ?? []).filter(
    (texture) =>
      matches(texture, sought) &&
      (!kind || texture.kind?.key === kind) &&
      (!onlyFindings || found.has(texture.path)),
  );
  const firstWithFinding = shown.find((texture) => found.has(texture.path));
  const selected = shown.find((texture) => texture.id === selectedId) ?? firstWithFinding ?? shown[0];
  const step = (by: number) => {
    const next = shown[shown.findIndex((texture) => texture.id === selected?.id) + by];
    if (next) setSelectedId(next.id);
  };
  useHotkeys([
    ['/', () => search.current?.focus()],
    ['ArrowDown', () => step(1)],
    ['ArrowUp', () => step(-1)],
  ]);

  return (
    <ProposalProvider>
    <div className="columns">
      <section className="column" aria-label="Rules">
        <Rules textures={textures.data ?? []} />
      </section>
      <section className="column" aria-label="Files">
        <ProposedChange />
        <div className="row">
          <TextInput
            ref={search}
            aria-label="Find a file"
            placeholder="Find by name or space"
            value={sought}
            onChange={(event) => setSought(event.currentTarget.value)}
            style={{ flex: 1 }}
          />
          <Select
            aria-label="Map kind"
            w={140}
            value={kind}
            onChange={(value) => setKind(value ?? '')}
            data={[
              { value: '', label: 'any map kind' },
              ...(config.data?.map_kinds.map(({ key, label }) => ({ value: key, label })) ?? []),
            ]}
          />
          <Button
            aria-pressed={onlyFindings}
            variant={onlyFindings ? 'filled' : 'default'}
            onClick={() => setOnlyFindings(!onlyFindings)}
          >
            Findings
          </Button>
          <Button variant="filled" loading={upload.busy} onClick={() => openPicker.current?.()}>
            Add files
          </Button>
        </div>
        {upload.busy && (
          <p className="row spread small" role="status">
            {upload.progress}
            <Button size="compact-xs" onClick={upload.cancel}>
              Cancel
            </Button>
          </p>
        )}
        <Dropzone
          className={classes.drop}
          openRef={openPicker}
          onDrop={(files) => void upload.add(files)}
          activateOnClick={false}
          enablePointerEvents
          styles={{ inner: { display: 'contents' } }}
        >
          <Loaded of={textures}>
            {(all) =>
              all.length === 0 ? (
                <Empty>
                  <p>No textures yet. Drop files or a folder here.</p>
                  <Button onClick={() => openPicker.current?.()}>Add files</Button>
                </Empty>
              ) : shown.length === 0 ? (
                <Empty>
                  <p>None of the {all.length} files is like that.</p>
                </Empty>
              ) : (
                <div className={classes.scroll}>
                  <TextureTable
                    textures={shown}
                    findings={findings.data ?? []}
                    selected={selected?.id}
                    onSelect={setSelectedId}
                  />
                </div>
              )
            }
          </Loaded>
        </Dropzone>
      </section>
      <section className="column" aria-label="Selected file">
        {selected ? (
          <TextureFacts key={selected.id} texture={selected} />
        ) : (
          <Empty>Select a file to see what it says.</Empty>
        )}
      </section>
    </div>
    </ProposalProvider>
  );
}

function matches(texture: Texture, sought: string): boolean {
  const text = `${texture.path} ${texture.assignment.space} ${texture.kind?.label ?? ''}`.toLowerCase();
  return sought
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}
