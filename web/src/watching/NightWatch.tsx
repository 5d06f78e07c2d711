import { Button } from '@mantine/core';
import { useState } from 'react';

import { api, body } from '../api/client';
import { useChange, useSlug } from '../api/hooks';
import { GuideMark } from '../guide/GuideMark';
import { counted, LevelMark } from '../shared/marks';
import { Empty, Loaded } from '../shared/states';
import { usePicture } from '../shared/usePicture';
import { FrameCurves } from './FrameCurves';
import { type SeenFrame, type Series, useLookedAt, useSeenFrames, useWatchedFolders, type Watched } from './useWatched';
import { WatchForm } from './WatchForm';
import classes from './Watching.module.css';
import { timeOfDay } from '../shared/dates';

const MOST_LISTED = 200;

/** Folders in which frames land, with what is wrong with any of them. */
export function NightWatch() {
  const watched = useWatchedFolders();
  const { folder, frame, look } = useLookedAt();
  const [adding, setAdding] = useState(false);
  return (
    <Loaded of={watched}>
      {(listed) => {
        const chosen = listed.find(({ id }) => id === folder) ?? listed[0];
        return (
          <div className="columns" style={{ gridTemplateColumns: '300px minmax(0, 1fr)' }}>
            <section className="column" aria-label="Watched folders">
              <div className="row spread">
                <h2 className="row">
                  Watched folders <GuideMark to="guide/explain#the-night-watch" about="the night watch" />
                </h2>
                {!adding && (
                  <Button size="xs" onClick={() => setAdding(true)}>
                    Watch a folder
                  </Button>
                )}
              </div>
              {adding && (
                <WatchForm
                  onAdded={({ id }) => {
                    setAdding(false);
                    look(id);
                  }}
                  onClose={() => setAdding(false)}
                />
              )}
              {listed.map((one) => (
                <button
                  key={one.id}
                  className={`card bare block ${one.id === chosen?.id ? 'chosen' : ''}`}
                  aria-current={one.id === chosen?.id}
                  onClick={() => look(one.id)}
                >
                  <strong>{one.name}</strong>
                  <span className="quiet small">{one.expected}</span>
                  <span className="quiet small">{stateOf(one)}</span>
                </button>
              ))}
              {listed.length === 0 && !adding && (
                <p className="quiet">
                  Frames that land in a watched folder are looked at as they come: a view that is baked in, light that is cut off,
                  other primaries, a light that pops.
                </p>
              )}
            </section>
            {chosen ? (
              <Folder key={chosen.id} folder={chosen} frame={frame} onLook={(name) => look(chosen.id, name)} />
            ) : (
              <Empty>
                <p>No folder is watched yet. A farm can do the same by itself, and stop at the first wrong frame:</p>
                <p className="mono small">manage.py watch FOLDER --project … --expect light --stop-file STOP</p>
              </Empty>
            )}
          </div>
        );
      }}
    </Loaded>
  );
}

function stateOf({ is_on, looked, error }: Watched) {
  if (error) return error;
  const last = looked ? `last looked at ${timeOfDay(looked)}` : 'not looked at yet';
  return is_on ? last : `paused, ${last}`;
}

function Folder({ folder, frame, onLook }: { folder: Watched; frame: string | undefined; onLook: (name: string) => void }) {
  const slug = useSlug();
  const seen = useSeenFrames(folder.id);
  const path = { slug, id: folder.id };
  const change = useChange((_, is_on: boolean) =>
    body(api.PUT('/api/v1/projects/{slug}/watched/{id}', { params: { path }, body: { is_on, based_on: folder.version } })),
  );
  const remove = useChange(() => body(api.DELETE('/api/v1/projects/{slug}/watched/{id}', { params: { path } })));
  return (
    <section className="column" aria-label={`Frames of ${folder.name}`}>
      <div className="row spread wrap">
        <div>
          <h2>{folder.name}</h2>
          <span className="quiet small mono">{folder.place}</span>
        </div>
        <div className="row">
          <Button size="xs" component="a" href={`/api/v1/projects/${slug}/watched/${folder.id}/summary`} target="_blank">
            Summary
          </Button>
          <Button size="xs" loading={change.isPending} onClick={() => change.mutate(!folder.is_on)}>
            {folder.is_on ? 'Pause' : 'Go on'}
          </Button>
          <Button size="xs" variant="subtle" loading={remove.isPending} onClick={() => remove.mutate(undefined)}>
            Remove
          </Button>
        </div>
      </div>
      {(change.error ?? remove.error) && <p role="alert">{(change.error ?? remove.error)?.message}</p>}
      <Loaded of={seen}>
        {(listed) =>
          listed.length === 0 ? (
            <p className="quiet">
              No frame has landed yet{folder.is_on ? '; each is looked at once it is written to its end.' : ', and watching is paused.'}
            </p>
          ) : (
            <>
              {listed.map((series) => (
                <OneSeries key={series.stem} folder={folder} series={series} chosen={frame} onLook={onLook} />
              ))}
            </>
          )
        }
      </Loaded>
    </section>
  );
}

function OneSeries({
  folder,
  series,
  chosen,
  onLook,
}: {
  folder: Watched;
  series: Series;
  chosen: string | undefined;
  onLook: (name: string) => void;
}) {
  const wrong = series.frames.filter(({ state }) => state !== 'good');
  const looked = series.frames.find(({ name }) => name === chosen);
  return (
    <section className="block" aria-label={series.stem}>
      <div className="row spread">
        <h3 className="row">
          {series.stem} <GuideMark to="guide/explain#the-night-watch" about={`curves of ${series.stem}`} />
        </h3>
        <span className="small quiet" role="status">
          {counted(series.frames.length, 'frame')}, {wrong.length} not good
          {series.missing.length > 0 && `, ${series.missing.length} missing`}
        </span>
      </div>
      <FrameCurves series={series} chosen={chosen} onChoose={({ name }) => onLook(name)} />
      {looked && <Looked folder={folder} frame={looked} />}
      {wrong.length > 0 && (
        <ul className={classes.wrong} aria-label="What is wrong">
          {wrong.slice(0, MOST_LISTED).map((frame) => (
            <li key={frame.name}>
              <button className="bare small" aria-current={frame.name === chosen} onClick={() => onLook(frame.name)}>
                <LevelMark level={frame.notes[0]?.level ?? 'note'} />
                <strong className="mono">{frame.number ?? frame.name}</strong>
                <span>{frame.notes.map(({ why }) => why).join(' ')}</span>
              </button>
            </li>
          ))}
          {wrong.length > MOST_LISTED && <li className="quiet small">and {wrong.length - MOST_LISTED} more: see the summary</li>}
        </ul>
      )}
    </section>
  );
}

/** A frame as it is seen, with what it is. */
function Looked({ folder, frame }: { folder: Watched; frame: SeenFrame }) {
  const slug = useSlug();
  const asked = new URLSearchParams({ name: frame.name, v: String(frame.figures?.mean) });
  const picture = usePicture(`/api/v1/projects/${slug}/watched/${folder.id}/picture?${asked.toString()}`);
  return (
    <div className={classes.looked} role="group" aria-label={`Frame ${frame.number ?? frame.name}`}>
      {picture.shown ? <img src={picture.shown} alt={frame.name} /> : <p className="quiet small">This frame cannot be shown.</p>}
      <div className="block small">
        <strong className="mono">{frame.name}</strong>
        {frame.figures && (
          <span className="mono quiet">
            peak {frame.figures.peak.toPrecision(4)}, mean {frame.figures.mean.toPrecision(4)}
          </span>
        )}
        {frame.notes.length === 0 && <span>It is good.</span>}
        {frame.notes.map(({ code, level, why }) => (
          <span key={code} className="row" style={{ alignItems: 'flex-start' }}>
            <LevelMark level={level} />
            <span>
              {why} <span className="quiet mono">{code}</span>
            </span>
          </span>
        ))}
      </div>
    </div>
  );
}
