import { Button, Radio } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { type ReactNode, useEffect, useState } from 'react';
import { useNavigate } from 'react-router';

import { api, body, type Schemas } from '../api/client';
import { keepScreen, keptSeen } from './kept';
import { measured } from './measured';
import classes from './Screen.module.css';

type Seen = Required<Schemas['ScreenSeen']>;

const DARK_CODES = [1, 2, 3, 4, 6, 8, 12, 16];
const BRIGHT_CODES = [254, 253, 252, 251, 249, 247, 243, 239];
const NOTHING: Seen = {
  exponent: 'unknown',
  darkest: null,
  brightest: null,
  sees_p3: null,
  is_hdr: false,
  is_managed: null,
  surround: 'unknown',
};
const grey = (code: number) => `rgb(${code} ${code} ${code})`;

/** Whether pictures can be judged on this screen: measured where the browser can tell, asked where only eyes can. */
export function Screen() {
  const navigate = useNavigate();
  const [seen, setSeen] = useState<Seen>(() => ({ ...NOTHING, ...keptSeen() }));
  const set = <Key extends keyof Seen>(key: Key, value: Seen[Key]) => setSeen((before) => ({ ...before, [key]: value }));
  const tones = useQuery({ queryKey: ['screen'], queryFn: () => body(api.GET('/api/v1/screen')), staleTime: Infinity });
  useEffect(() => {
    void measured().then((found) => setSeen((before) => ({ ...before, ...found })));
  }, []);
  const verdict = useQuery({
    queryKey: ['screen-verdict', seen],
    queryFn: () => body(api.POST('/api/v1/screen/verdict', { body: seen })),
    placeholderData: (before) => before,
  });
  useEffect(() => {
    if (verdict.data) keepScreen(seen, verdict.data);
  }, [seen, verdict.data]);
  return (
    <main className={classes.page}>
      <div className="row spread">
        <h1>Is this screen fit to judge on?</h1>
        <Button onClick={() => void navigate(-1)}>Back</Button>
      </div>
      {verdict.data && (
        <section className="card chosen block" aria-label="What it says">
          <p role="status">
            <strong>{verdict.data.sentence}</strong>{' '}
            {verdict.data.is_fit === null ? 'Answer the questions below.' : verdict.data.is_fit ? 'Pictures can be judged here.' : ''}
          </p>
          {verdict.data.advice.map((said) => (
            <p key={said} className="small">
              {said}
            </p>
          ))}
          <p className="small quiet">
            Measured: the browser {managedWords(seen.is_managed)}, and says that the screen {seen.is_hdr ? 'shows HDR' : 'shows SDR'}. Kept for
            this browser.
          </p>
        </section>
      )}
      <Test title="The half-tone and the patches" says="Step back, or squint. Which patch has the same brightness as the lines around it?">
        <div className={classes.halftones}>
          {tones.data?.map(({ exponent, code }) => (
            <div key={exponent} className={classes.lines}>
              <div style={{ background: grey(code) }} />
            </div>
          ))}
        </div>
        <Choices
          label="Which patch merges?"
          value={seen.exponent}
          options={tones.data?.map(({ exponent }) => [exponent, exponent === 'srgb' ? 'sRGB' : exponent]) ?? []}
          onChange={(value) => set('exponent', value as Seen['exponent'])}
        />
      </Test>
      <Test title="Near black" says="Which is the darkest square that you can tell from black?">
        <div className={classes.squares} style={{ background: grey(0) }}>
          {DARK_CODES.map((code) => (
            <div key={code} style={{ background: grey(code) }} />
          ))}
        </div>
        <Choices
          label="Darkest square seen"
          value={String(seen.darkest)}
          options={DARK_CODES.map((code) => [String(code), String(code)])}
          onChange={(value) => set('darkest', Number(value))}
        />
      </Test>
      <Test title="Near white" says="Which is the brightest square that you can tell from white?">
        <div className={classes.squares} style={{ background: grey(255) }}>
          {BRIGHT_CODES.map((code) => (
            <div key={code} style={{ background: grey(code) }} />
          ))}
        </div>
        <Choices
          label="Brightest square seen"
          value={String(seen.brightest)}
          options={BRIGHT_CODES.map((code) => [String(code), String(code)])}
          onChange={(value) => set('brightest', Number(value))}
        />
      </Test>
      <Test title="Display P3" says="Is there a square within each square? It is Display P3 within sRGB, and shows only if browser and screen can.">
        <div className="row">
          {['1 0 0', '0 1 0'].map((colour) => (
            <div key={colour} className={classes.outer} style={{ background: `color(srgb ${colour})` }}>
              <div style={{ background: `color(display-p3 ${colour})` }} />
            </div>
          ))}
        </div>
        <Choices
          label="Square within the square?"
          value={seen.sees_p3 === null ? '' : String(seen.sees_p3)}
          options={[
            ['true', 'Yes'],
            ['false', 'No'],
          ]}
          onChange={(value) => set('sees_p3', value === 'true')}
        />
      </Test>
      <Test title="HDR" says="Patches of 10 to 10,000 cd/m². Those that look the same are above what this screen shows; on an SDR screen they all end at white.">
        <img src="/api/v1/screen/pq.png" alt="Patches of light up to 10,000 cd/m²" className={classes.pq} />
      </Test>
      <Test title="The room" says="How bright is it around the screen?">
        <Choices
          label="The room is"
          value={seen.surround}
          options={[
            ['dark', 'dark'],
            ['dim', 'dim'],
            ['bright', 'bright'],
          ]}
          onChange={(value) => set('surround', value as Seen['surround'])}
        />
      </Test>
    </main>
  );
}

function managedWords(is: boolean | null) {
  if (is === null) return 'does not say whether it manages colours';
  return is ? 'manages colours' : 'does not manage colours';
}

function Test({ title, says, children }: { title: string; says: string; children: ReactNode }) {
  return (
    <section className="block" aria-label={title}>
      <h2>{title}</h2>
      <p className="small">{says}</p>
      {children}
    </section>
  );
}

function Choices({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: string;
  options: (readonly [string, string])[];
  onChange: (value: string) => void;
}) {
  return (
    <Radio.Group label={label} value={value} onChange={onChange}>
      <div className={classes.choices} style={{ gridTemplateColumns: `repeat(${options.length}, 84px)` }}>
        {options.map(([key, shown]) => (
          <Radio key={key} size="xs" value={key} label={shown} />
        ))}
      </div>
    </Radio.Group>
  );
}
