import { Button } from '@mantine/core';
import { Dropzone } from '@mantine/dropzone';
import { useHotkeys, useMediaQuery } from '@mantine/hooks';
import { useEffect, useRef, useState } from 'react';
import { useNavigate } from 'react-router';

import { JobCard } from '../app/Tray';
import { api, body } from '../api/client';
import { isBusy, useChange, useJobs } from '../api/hooks';
import { useUploading } from '../shared/uploading';
import { counted } from '../shared/marks';
import { ProposedChange } from '../shared/ProposedChange';
import { Progressing } from '../shared/Progressing';
import { Segments } from '../shared/Segments';
import { Empty, Loaded } from '../shared/states';
import { useRemembered } from '../shared/remembered';
import { FoldingColumn } from '../shared/Fold';
import { AddFiles, FolderInPlace } from '../shared/AddFiles';
import { FilterBar } from './FilterBar';
import { type Filters, NO_FILTERS } from './filters';
import { Folders } from './Folders';
import { Rules } from './Rules';
import { RulesRun } from './RulesRun';
import { SelectionFacts } from './SelectionFacts';
import { TextureFacts } from './TextureFacts';
import { type Layout, TextureList } from './TextureList';
import classes from './Textures.module.css';
import { useSelection } from './useSelection';
import { useTextureList } from './useTextureList';

const INTAKE = 'bring-textures';
const TEXTURE_FILES = '.exr,.png,.jpg,.jpeg,.tif,.tiff,.hdr,.dpx,.tx,.zip';

/** Which space each file is read in, and why. */
export function Textures() {
  const jobs = useJobs();
  const upload = useUploading();
  const samples = useChange((slug) =>
    body(api.POST('/api/v1/projects/{slug}/textures/samples', { params: { path: { slug } } })),
  );
  const navigate = useNavigate();
  const picker = useRef<HTMLInputElement>(null);
  const pick = () => picker.current?.click();
  const [filters, setFilters] = useRemembered<Filters>('texture filters', NO_FILTERS);
  const isWide = useMediaQuery('(min-width: 1700px)', false, { getInitialValueInEffect: false });
  const [layout, setLayout] = useRemembered<Layout>('texture layout', isWide ? 'grid' : 'table');
  const [addsFolder, setAddsFolder] = useRemembered('adding a folder', false);
  /** The files on which the rules are run again; all where none is named. */
  const [runsRules, setRunsRules] = useState<number[]>();

  const list = useTextureList(filters);
  const selection = useSelection(list);
  const { current, ids } = selection;
  const fresh = list.rows.find(({ id }) => id === current?.id) ?? current;
  const one = fresh ?? list.rows.find(({ findings }) => findings.length > 0) ?? list.rowAt(0);
  useEffect(() => {
    if (one && !current) selection.show(list.rows.indexOf(one), one); // it stays, even once nothing is wrong with it
  });
  const convert = async (chosen: number[]) => {
    const narrows = chosen.length === 0 && list.total < list.every;
    await navigate('convert', { state: { ids: narrows ? await list.ids() : chosen } });
  };
  useHotkeys([
    [
      'Enter',
      ({ target }) => {
        // On a button or link Enter does what it always does.
        if (one && target instanceof Element && !target.closest('button, a')) void navigate(String(one.id));
      },
      { preventDefault: false },
    ],
  ]);
  const intake = jobs.data?.find((job) => job.kind === INTAKE && isBusy(job));

  return (
      <div className="columns">
        <section className="column" aria-label="Rules">
          <Rules onRunAgain={() => setRunsRules([])} />
          <Folders />
        </section>
        <section className="column" aria-label="Files">
          <ProposedChange />
          {runsRules && <RulesRun ids={runsRules} onClose={() => setRunsRules(undefined)} />}
          {addsFolder && (
            <FolderInPlace
              example="/shows/lantern_quay/textures"
              onRead={(of, place) =>
                body(api.POST('/api/v1/projects/{slug}/texture-folders', { params: { path: { slug: of } }, body: { place } }))
              }
              onClose={() => setAddsFolder(false)}
            />
          )}
          {upload.progress && (
            <div className="card">
              <Progressing {...upload.progress} onCancel={upload.cancel} />
            </div>
          )}
          {intake && <JobCard job={intake} />}
          <FilterBar filters={filters} onChange={setFilters} />
          <div className="row spread">
            <span className="quiet small" role="status">
              {list.total === list.every
                ? counted(list.every, 'file')
                : `${list.total.toLocaleString('en-GB')} of ${counted(list.every, 'file')}`}
              {ids.size > 1 && `, ${ids.size.toLocaleString('en-GB')} selected`}
              {list.unchecked > 0 && `, ${list.unchecked.toLocaleString('en-GB')} still to be checked`}
            </span>
            <span className="row">
              <Button size="xs" variant="subtle" disabled={list.total === 0} onClick={() => void selection.all()}>
                Select all
              </Button>
              <Button size="xs" variant="subtle" onClick={() => void convert([])}>
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
              <AddFiles
                label="Add files"
                files="Files, or a zip"
                filled
                busy={upload.progress !== undefined}
                onFiles={(files) => void upload.add(files)}
                onPickFiles={pick}
                onFolderInPlace={() => setAddsFolder(true)}
              />
            </span>
          </div>
          <input
            ref={picker}
            type="file"
            hidden
            multiple
            accept={TEXTURE_FILES}
            onChange={(event) => {
              void upload.add([...(event.currentTarget.files ?? [])]);
              event.currentTarget.value = '';
            }}
          />
          <Dropzone
            className={classes.drop}
            onDrop={(files) => void upload.add(files)}
            activateOnClick={false}
            enablePointerEvents
            styles={{ inner: { display: 'contents' } }}
          >
            <Loaded of={list.first}>
              {() =>
                list.every === 0 ? (
                  <Empty>
                    <p>No textures yet. Drop files, a folder or a zip here.</p>
                    <div className="row">
                      <Button variant="filled" onClick={pick}>
                        Choose files
                      </Button>
                      <Button loading={samples.isPending} onClick={() => samples.mutate(undefined)}>
                        Add sample textures
                      </Button>
                    </div>
                  </Empty>
                ) : list.total === 0 ? (
                  <Empty>
                    <p>None of the {list.every.toLocaleString('en-GB')} files match.</p>
                    <Button onClick={() => setFilters(NO_FILTERS)}>Show all</Button>
                  </Empty>
                ) : (
                  <TextureList list={list} selection={selection} layout={layout} />
                )
              }
            </Loaded>
          </Dropzone>
        </section>
        <FoldingColumn label="Selected file" guide="guide/textures#what-a-file-says-itself">
          {ids.size > 1 ? (
            <SelectionFacts
              ids={[...ids]}
              onRunRules={() => setRunsRules([...ids])}
              onConvert={() => void convert([...ids])}
              onRemoved={selection.clear}
            />
          ) : one ? (
            <TextureFacts key={one.id} texture={one} onGone={selection.clear} />
          ) : (
            <Empty>Select a file to see what it says.</Empty>
          )}
        </FoldingColumn>
      </div>
  );
}
