import { ActionIcon, Button, Select, Slider } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import {
  IconPlayerPause,
  IconPlayerPlay,
  IconPlayerSkipBack,
  IconPlayerSkipForward,
} from '@tabler/icons-react';
import { type KeyboardEvent, useEffect, useRef, useState } from 'react';

import { api, body } from '../api/client';
import { type Render, useChange, useFrames, useProject, useSlug, type ViewChoice } from '../api/hooks';
import { figure } from '../shared/colour';
import { useRemembered } from '../shared/remembered';
import { usePicture } from '../shared/usePicture';
import { FrameStrip } from './FrameStrip';
import classes from './Player.module.css';
import { useFrameCache } from './useFrameCache';

const RATES = ['12', '23.976', '24', '25', '29.97', '30', '48', '50', '60'];
const SIZE = '640';
const SETTLED_MS = 200;

interface Props {
  render: Render;
  /** The view it is seen through; that of the project where none is given. */
  choice?: ViewChoice | undefined;
  exposure?: number;
}

/** A sequence through a view: scrubbed, played as far as it is loaded, with the waveform of the frame beside it. */
export function Player({ render, choice, exposure = 0 }: Props) {
  const slug = useSlug();
  const project = useProject().data;
  const frames = useFrames(render);
  const sequence = render.sequence;
  const [number, setNumber] = useState(sequence?.frame ?? 0);
  const [playing, setPlaying] = useState(false);
  const [rate, setRate] = useRemembered('frames a second', '24');
  const view = choice ?? (project?.setup.view as ViewChoice | undefined);
  const asked = new URLSearchParams({
    ...(view ? { display: view.display, view: view.view, look: view.look } : {}),
    exposure: String(exposure),
  });
  const key = `${render.image}-${render.space}-${project?.revision.number}`;
  const readable = (frames.data ?? []).filter(({ image }) => image);
  const addresses = new Map(
    readable.map((frame) => [
      frame.number,
      `/api/v1/projects/${slug}/renders/${render.id}/picture?frame=${frame.number}&size=${SIZE}&${asked.toString()}&v=${frame.image}-${key}`,
    ]),
  );
  const { pictureOf, ready } = useFrameCache(addresses, number);
  const numbers = (frames.data ?? []).map((frame) => frame.number);
  const frame = frames.data?.find((candidate) => candidate.number === number);
  const step = (by: number) => {
    const at = numbers.indexOf(number);
    const next = numbers[Math.min(numbers.length - 1, Math.max(0, at + by))];
    setPlaying(false);
    if (next !== undefined) setNumber(next);
  };
  usePlaying(playing, Number(rate), () => {
    const next = ready.find((candidate) => candidate > number) ?? ready[0];
    if (next !== undefined) setNumber(next);
  });
  const look = useChange(() =>
    body(
      api.PUT('/api/v1/projects/{slug}/renders/{id}', {
        params: { path: { slug, id: render.id } },
        body: { frame: number, based_on: render.version },
      }),
    ),
  );
  if (!sequence) return null;
  const keys: Record<string, () => void> = {
    ' ': () => setPlaying(!playing),
    ArrowLeft: () => step(-1),
    ArrowRight: () => step(1),
    Home: () => step(-numbers.length),
    End: () => step(numbers.length),
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const act = event.target === event.currentTarget ? keys[event.key] : undefined;
    if (!act) return;
    event.preventDefault();
    act();
  };
  return (
    <div className={classes.player} role="group" aria-label={`Player: ${render.name}`} tabIndex={0} onKeyDown={onKeyDown}>
      <div className={classes.pictures}>
        <div className={classes.picture}>
          <Shown picture={pictureOf(number)} label={`Frame ${number}`} />
          {frame?.reason && (
            <span className={`${classes.word} small`} role="alert">
              {frame.reason}
            </span>
          )}
          {frames.isSuccess && !frame && <span className={`${classes.word} small`}>Frame {number} is missing.</span>}
        </div>
        <Waveform
          address={
            frame?.image
              ? `/api/v1/projects/${slug}/renders/${render.id}/scope?kind=waveform&frame=${number}&${asked.toString()}&v=${frame.image}-${key}`
              : undefined
          }
        />
      </div>
      <FrameStrip frames={frames.data ?? []} sequence={sequence} ready={new Set(ready)} at={number} onChoose={setNumber} />
      <Slider
        aria-label="Frame"
        thumbLabel="Frame"
        min={sequence.first}
        max={sequence.last}
        step={sequence.step}
        value={number}
        label={null}
        onChange={(chosen) => {
          setPlaying(false);
          setNumber(chosen);
        }}
      />
      <div className="row spread wrap">
        <div className="row">
          <ActionIcon variant="default" aria-label="Frame before" onClick={() => step(-1)}>
            <IconPlayerSkipBack size={16} />
          </ActionIcon>
          <ActionIcon variant="default" aria-label={playing ? 'Stop' : 'Play'} onClick={() => setPlaying(!playing)}>
            {playing ? <IconPlayerPause size={16} /> : <IconPlayerPlay size={16} />}
          </ActionIcon>
          <ActionIcon variant="default" aria-label="Frame after" onClick={() => step(1)}>
            <IconPlayerSkipForward size={16} />
          </ActionIcon>
          <Select
            aria-label="Frames a second"
            size="xs"
            w={96}
            data={RATES.map((value) => ({ value, label: `${value} fps` }))}
            value={rate}
            allowDeselect={false}
            onChange={(value) => value && setRate(value)}
          />
          <span className="mono small" role="status">
            {number} · {ready.length} of {readable.length} loaded
          </span>
        </div>
        <div className="row">
          {frame?.peak != null && <span className="quiet small">peak {figure(frame.peak)}</span>}
          {number !== sequence.frame && (
            <Button
              size="compact-xs"
              disabled={!frame?.image}
              loading={look.isPending}
              title="The frame that Compare shows, and of which single pictures are made"
              onClick={() => look.mutate(undefined)}
            >
              Look at this frame
            </Button>
          )}
        </div>
      </div>
    </div>
  );
}

/** Draw a picture that is loaded; the one before stays until it is. */
function Shown({ picture, label }: { picture: HTMLImageElement | undefined; label: string }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    if (!picture || !canvas.current) return;
    canvas.current.width = picture.naturalWidth;
    canvas.current.height = picture.naturalHeight;
    canvas.current.getContext('2d')?.drawImage(picture, 0, 0);
  }, [picture]);
  return <canvas ref={canvas} role="img" aria-label={label} data-shown={Boolean(picture)} />;
}

/** The waveform of a frame, once it stands still: a second's worth of them would come too late. */
function Waveform({ address }: { address: string | undefined }) {
  const [settled] = useDebouncedValue(address, SETTLED_MS);
  const picture = usePicture(settled ?? '');
  if (!picture.shown) return <div className={classes.waveform} />;
  return <img className={classes.waveform} src={picture.shown} alt="Waveform of the frame, black below and white above" />;
}

/** Call `next` at a rate, measured on the clock and not on how long drawing takes. */
function usePlaying(playing: boolean, rate: number, next: () => void) {
  const call = useRef(next);
  useEffect(() => {
    call.current = next;
  });
  useEffect(() => {
    if (!playing) return;
    const timer = setInterval(() => call.current(), 1000 / rate);
    return () => clearInterval(timer);
  }, [playing, rate]);
}
