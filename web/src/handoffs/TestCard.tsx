import { Button, FileButton } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { api, body, type Schemas, send } from '../api/client';
import { type Station, useChange, useSlug } from '../api/hooks';
import { GuideMark } from '../guide/GuideMark';
import { LevelMark } from '../shared/marks';
import { Segments } from '../shared/Segments';
import { dayAndTime } from '../shared/dates';
import { Loaded } from '../shared/states';
import { Captioned } from './Captioned';
import classes from './Chain.module.css';
import { ProofMark } from './marks';
import { LEVELS } from './Sheet';

type Proof = Schemas['CardProof'];

const WORDS: Record<Proof['verdict'], string> = {
  'as agreed': 'As agreed',
  wrong: 'Otherwise than agreed',
  undecided: 'Undecided',
  unknown: 'Unknown: none of the mistakes that are known gives these numbers',
};

/** A test card goes out to an application, what it made of it comes back, and it is proved or its wrong setting named. */
export function TestCard({ station }: { station: Station }) {
  const slug = useSlug();
  const address = `/api/v1/projects/${slug}/stations/${station.id}`;
  const [came, setCame] = useState('');
  const [over, setOver] = useState(false);
  const standing = useQuery({
    queryKey: [slug, 'proofs', station.id],
    queryFn: () => body(api.GET('/api/v1/projects/{slug}/stations/{id}/proofs', { params: { path: { slug, id: station.id } } })),
  });
  const handIn = useChange((_, file: File) => send<Proof>(`${address}/proofs`, { file, came }));
  return (
    <section
      className="column"
      aria-label={`Test card of the ${station.name.toLowerCase()}`}
      onDragOver={(event) => {
        event.preventDefault();
        event.stopPropagation();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        event.stopPropagation();
        setOver(false);
        const file = event.dataTransfer.files[0];
        if (file) handIn.mutate(file);
      }}
    >
      <h2 className="row">
        Test card of the {station.name.toLowerCase()} <ProofMark state={station.proof} />
        <GuideMark to="guide/handoffs#the-test-card" about="test cards" />
      </h2>
      <Loaded of={standing}>
        {({ changed, shows, writes, proofs }) => (
          <>
            {station.proof === 'out-of-date' && (
              <div className="card">
                <p className="row">
                  <LevelMark level="caution" /> Since the card of revision {proofs[0]?.revision} came back, this has changed:
                </p>
                <ul style={{ margin: 0 }}>
                  {changed.map((words) => (
                    <li key={words}>{words}</li>
                  ))}
                </ul>
                <p>Save the new card, and try again.</p>
              </div>
            )}
            <ol style={{ display: 'grid', gap: 10, margin: 0, paddingLeft: 20 }}>
              <li>
                <Button component="a" size="xs" href={`${address}/card`} download>
                  Save the test card
                </Button>
              </li>
              <li>Open one of its files in the {station.name.toLowerCase()}, as its settings say.</li>
              <li>
                Save {shows && 'what it shows, or take a picture of the screen'}
                {shows && writes && '; or save '}
                {writes && 'the file that it hands on'}.
              </li>
              <li>
                <div className="row wrap">
                  {shows && writes && (
                    <Segments
                      aria-label="What the file is"
                      data={[
                        { value: '', label: 'Tell by the file' },
                        { value: 'shown', label: 'What it shows' },
                        { value: 'written', label: 'What it writes' },
                      ]}
                      value={came}
                      onChange={setCame}
                    />
                  )}
                  <FileButton onChange={(file) => file && handIn.mutate(file)} accept=".png,.jpg,.jpeg,.tif,.tiff,.exr,.avif,.jxl">
                    {(props) => (
                      <Button {...props} size="xs" variant={over ? 'filled' : 'default'} loading={handIn.isPending}>
                        {over ? 'Drop it here' : 'Choose or drop the file that came back'}
                      </Button>
                    )}
                  </FileButton>
                </div>
                {handIn.error && <p role="alert">{handIn.error.message}</p>}
              </li>
            </ol>
            {proofs.map((proof, at) => (at === 0 ? <Answer key={proof.id} station={station} proof={proof} /> : <Older key={proof.id} proof={proof} />))}
          </>
        )}
      </Loaded>
    </section>
  );
}

function Older({ proof }: { proof: Proof }) {
  return (
    <p className="quiet small">
      {dayAndTime(proof.created)}: {proof.name}, revision {proof.revision}. {WORDS[proof.verdict]}
      {proof.made[0] && `: ${proof.made[0].label.toLowerCase()}`}.
    </p>
  );
}

function Answer({ station, proof }: { station: Station; proof: Proof }) {
  const slug = useSlug();
  const picture = (which: string) => `/api/v1/projects/${slug}/stations/${station.id}/proofs/${proof.id}/${which}`;
  return (
    <div className="card block" role="group" aria-label={`Answer to ${proof.name}`}>
      <h3>{WORDS[proof.verdict]}</h3>
      {proof.made.length > 0 && proof.verdict !== 'unknown' && (
        <>
          {proof.made.map((made) => (
            <Mistaken key={made.key} made={made} />
          ))}
          {proof.others.map((others, at) => (
            <p key={at} className="quiet">
              {others.length
                ? `These numbers do not tell it apart from: ${others.map(({ happened }) => happened).join(' ')}`
                : 'These numbers may also be as agreed: the file does not tell. Save it with more bits and try again.'}
            </p>
          ))}
        </>
      )}
      <div className={classes.pair}>
        <Captioned source={picture('came')}>As it came: {proof.name}</Captioned>
        <Captioned source={picture('agreed')}>As agreed, revision {proof.revision}</Captioned>
      </div>
      <p className="quiet small">
        {dayAndTime(proof.created)}, {proof.came === 'shown' ? 'what it shows' : 'what it writes'}. Largest
        difference {proof.largest.toFixed(4)} ({proof.where}); the coding of the file alone makes up to{' '}
        {(2.5 * proof.step).toFixed(4)}
        {proof.made.length > 0 && `, and with what is told here ${proof.left.toFixed(4)} is left`}.
      </p>
    </div>
  );
}

/** What happened, where it is set, and what to set. */
export function Mistaken({ made }: { made: Schemas['StationMistake'] }) {
  return (
    <p>
      <strong>{made.happened}</strong> Set in: {LEVELS[made.level]}. {made.repair}
    </p>
  );
}
