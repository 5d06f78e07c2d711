import { Button } from '@mantine/core';
import { Dropzone } from '@mantine/dropzone';
import { useHotkeys } from '@mantine/hooks';
import { useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';

import { JobCard } from '../app/Tray';
import { isBusy, type Texture, useFindings, useJobs, useTextures } from '../api/hooks';
import { counted } from '../shared/marks';
import { ProposalProvider } from '../shared/proposal';
import { ProposedChange } from '../shared/ProposedChange';
import { Progressing } from '../shared/Progressing';
import { Segments } from '../shared/Segments';
import { Empty, Loaded } from '../shared/states';
import { AddTextures, FolderInPlace } from './AddTextures';
import { FilterBar } from './FilterBar';
import { byPath, type Filters, narrowed, NO_FILTERS } from './filters';
import { Folders } from './Folders';
import { Rules } from './Rules';
import { RulesRun } from './RulesRun';
import { SelectionFacts } from './SelectionFacts';
import { TextureFacts } from './TextureFacts';
import { type Layout, TextureList } from './TextureList';
import classes from './Textures.module.css';
import { useSelection } from './useSelection';
import { useUpload } from './useUpload';

const INTAKE = 'bring-textures';

/** Which space each file is read in, and why. */
export function Textures() {
  const textures = useTextures();
  const findings = useFindings();
  const jobs = useJobs();
  const upload = useUpload();
  const navigate = useNavigate();
  const openPicker = useRef<() => void>(null);
  const [filters, setFilters] = useState<Filters>(NO_FILTERS);
  const [layout, setLayout] = useState<Layout>('table');
  const [addsFolder, setAddsFolder] = useState(false);
  const [runsRules, setRunsRules] = useState<Texture[]>();

  const all = textures.data ?? [];
  const found = byPath(findings.data ?? []);
  const shown = narrowed(all, filters, found);
  const selection = useSelection(shown);
  const chosen = shown.filter(({ id }) => selection.ids.has(id));
  const one = chosen[0] ?? shown.find(({ path }) => found.has(path)) ?? shown[0];
  const shownIds = shown.length < all.length ? shown.map(({ id }) => id) : [];
  useHotkeys([['Enter', () => one && void navigate(String(one.id))]]);
  const intake = jobs.data?.find((job) => job.kind === INTAKE && isBusy(job));

  return (
    <ProposalProvider>
      <div className="columns">
        <section className="column" aria-label="Rules">
          <Rules textures={all} onRunAgain={() => setRunsRules(all)} />
          <Folders />
        </section>
        <section className="column" aria-label="Files">
          <ProposedChange />
          {runsRules && <RulesRun textures={runsRules} onClose={() => setRunsRules(undefined)} />}
          {addsFolder && <FolderInPlace onClose={() => setAddsFolder(false)} />}
          {upload.progress && (
            <div className="card">
              <Progressing {...upload.progress} onCancel={upload.cancel} />
            </div>
          )}
          {intake && <JobCard job={intake} />}
          <FilterBar textures={all} findings={findings.data ?? []} filters={filters} onChange={setFilters} />
          <div className="row spread">
            <span className="quiet small" role="status">
              {shown.length === all.length ? counted(all.length, 'file') : `${shown.length} of ${counted(all.length, 'file')}`}
              {chosen.length > 1 && `, ${chosen.length} selected`}
            </span>
            <span className="row">
              <Button size="xs" variant="subtle" disabled={shown.length === 0} onClick={() => selection.many(shown)}>
                Select all
              </Button>
              <Button size="xs" variant="subtle" component={Link} to="convert" state={{ ids: shownIds }}>
                Convert
              </Button>
              <Segments
                aria-label="Layout"
                value={layout}
                onChange={(value) => setLayout(value as Layout)}
                data={[
                  { value: 'table', label: 'Table' },
                  { value: 'grid', label: 'Grid' },
                ]}
              />
              <AddTextures
                busy={upload.progress !== undefined}
                onFiles={(files) => void upload.add(files)}
                onPickFiles={() => openPicker.current?.()}
                onFolderInPlace={() => setAddsFolder(true)}
              />
            </span>
          </div>
          <Dropzone
            className={classes.drop}
            openRef={openPicker}
            onDrop={(files) => void upload.add(files)}
            activateOnClick={false}
            enablePointerEvents
            styles={{ inner: { display: 'contents' } }}
          >
            <Loaded of={textures}>
              {() =>
                all.length === 0 ? (
                  <Empty>
                    <p>No textures yet. Drop files, a folder or a zip here.</p>
                    <Button onClick={() => openPicker.current?.()}>Choose files</Button>
                  </Empty>
                ) : shown.length === 0 ? (
                  <Empty>
                    <p>None of the {all.length} files is like that.</p>
                    <Button onClick={() => setFilters(NO_FILTERS)}>Show all</Button>
                  </Empty>
                ) : (
                  <TextureList textures={shown} findings={found} selection={selection} layout={layout} />
                )
              }
            </Loaded>
          </Dropzone>
        </section>
        <section className="column" aria-label="Selected file">
          {chosen.length > 1 ? (
            <SelectionFacts
              textures={chosen}
              findings={found}
              onRunRules={() => setRunsRules(chosen)}
              onConvert={() => void navigate('convert', { state: { ids: chosen.map(({ id }) => id) } })}
            />
          ) : one ? (
            <TextureFacts key={one.id} texture={one} />
          ) : (
            <Empty>Select a file to see what it says.</Empty>
          )}
        </section>
      </div>
    </ProposalProvider>
  );
}
