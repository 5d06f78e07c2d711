import { Button, Select, TextInput } from '@mantine/core';
import { useHotkeys } from '@mantine/hooks';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { Link } from 'react-router';

import { api, body, Refused, type Schemas } from '../api/client';
import { type Texture, useChange, useConfig, useProject, useSlug, useTextureFindings } from '../api/hooks';
import { Facts } from '../shared/Facts';
import { FindingCard } from '../shared/FindingCard';
import { baseName } from '../shared/numbers';
import { SpaceSelect } from '../shared/SpaceSelect';
import { Loaded } from '../shared/states';
import { reasonWord } from './reason';
import { useRemove } from './SelectionFacts';
import classes from './Textures.module.css';
import { Term } from '../shared/Term';

type Detail = Schemas['TextureDetail'];

/** Everything about the selected file: pixels, findings, the pin, what it says, and why it has its space. */
export function TextureFacts({ texture, onGone }: { texture: Texture; onGone: () => void }) {
  const slug = useSlug();
  const detail = useQuery({
    queryKey: [slug, 'texture', texture.id],
    queryFn: () => body(api.GET('/api/v1/projects/{slug}/textures/{id}', { params: { path: { slug, id: texture.id } } })),
    retry: false,
  });
  const isGone = detail.error instanceof Refused && detail.error.status === 404;
  useEffect(() => {
    if (isGone) onGone();
  });
  const own = useTextureFindings(texture.path).data?.findings ?? [];
  const inDoubt = own
    .filter(({ code }) => code === 'texture.primaries-not-declared')
    .flatMap(({ also }) => also.map(({ arguments: { space } }) => space ?? ''));
  return (
    <>
      <div className="row spread" style={{ alignItems: 'flex-start' }}>
        <h2 style={{ overflowWrap: 'anywhere' }}>{baseName(texture.path)}</h2>
        <Button component={Link} to={String(texture.id)} size="compact-xs" title="Enter" style={{ flex: 'none' }}>
          Open large
        </Button>
      </div>
      <Pictures texture={texture} verdict={detail.data?.verdict} others={inDoubt} />
      {own.map((finding) => (
        <FindingCard key={finding.code} finding={finding} />
      ))}
      <Loaded of={detail}>
        {(data) => (
          <>
            <Pin detail={data} />
            <MapKind detail={data} />
            <Testimony detail={data} />
            <div className="block">
              <h3>What the file says</h3>
              <Facts facts={data.facts} />
            </div>
            <Why detail={data} />
            <Remove texture={texture} />
          </>
        )}
      </Loaded>
    </>
  );
}

/** What the file holds, told by a word in its name or set by hand. */
export function MapKind({ detail }: { detail: Detail }) {
  const kinds = useConfig().data?.map_kinds ?? [];
  const change = useChange((slug, kind: string) =>
    body(
      api.PUT('/api/v1/projects/{slug}/textures/{id}/kind', {
        params: { path: { slug, id: detail.id } },
        body: { kind, based_on: detail.version },
      }),
    ),
  );
  return (
    <div className="block">
      <h3>
        <Term of="Map kind" />
      </h3>
      <Select
        aria-label="Map kind of this file"
        description={
          detail.kind_by_hand
            ? 'Set by hand; the name no longer tells it.'
            : detail.kind
              ? `Detected from “${detail.kind_word}” in the name.`
              : 'Not detected: no map word in the name. Choose one to set it by hand.'
        }
        placeholder="not detected"
        searchable
        clearable={detail.kind_by_hand !== ''}
        allowDeselect={false}
        disabled={change.isPending}
        data={kinds.map(({ key, label }) => ({ value: key, label }))}
        value={detail.kind?.key ?? null}
        onChange={(kind) => change.mutate(kind ?? '')}
      />
      {detail.packed.length > 0 && (
        <p className="quiet small">
          {detail.packed.map((holds, number) => `${['Red', 'green', 'blue', 'alpha'][number]}: ${holds}`).join(', ')}
        </p>
      )}
    </div>
  );
}

/** What speaks for which space, by weight, and the verdict. */
export function Testimony({ detail }: { detail: Pick<Detail, 'evidence' | 'verdict'> }) {
  return (
    <div className="block">
      <h3>
        <Term of="Suggested space" />
      </h3>
      <Suggestion verdict={detail.verdict} />
      <ul className={classes.evidence} aria-label="Evidence">
        {detail.evidence.map((piece) => (
          <li key={piece.code}>
            <span className={classes.weight} title={`weight ${piece.weight.toFixed(1)} of 1`}>
              <span style={{ width: `${piece.weight * 100}%` }} />
            </span>
            <span>
              {piece.says} <span className="mono small quiet">{piece.against ? `against ${piece.against}` : piece.favours || 'not in this config'}</span>
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** The space with its confidence; while that is undecided, what it may be, and the question that would settle it. */
function Suggestion({
  verdict: { space, confidence, holds, candidates, question, primaries_are_assumed: isAssumed },
}: Pick<Detail, 'verdict'>) {
  if (space !== null && isAssumed) {
    return (
      <p>
        Linear light, <span className="quiet">confidence {percent(confidence)}.</span> Which primaries it has, the file does
        not say; <span className="mono">{space}</span> is assumed.
      </p>
    );
  }
  if (space !== null) {
    return (
      <p>
        <span className="mono">{space}</span>
        <span className="quiet">
          {' '}
          confidence {percent(confidence)}: likely {holds}
        </span>
      </p>
    );
  }
  if (candidates.length === 0) return <p>No suggestion: nothing in the file says which space.</p>;
  return (
    <>
      <p>{candidates.length > 1 ? 'Undecided. It may hold:' : 'It likely holds:'}</p>
      <ul className={classes.candidates} aria-label="Candidates">
        {candidates.map((candidate) => (
          <li key={candidate.holds}>
            <span className="mono">{percent(candidate.probability)}</span>
            <span>
              {candidate.holds}
              <br />
              <span className="mono small quiet">{candidate.space ?? 'no space in this config'}</span>
            </span>
          </li>
        ))}
      </ul>
      <p>{question}</p>
    </>
  );
}

const percent = (share: number) => `${Math.round(share * 100)} %`;

/** The file as it is read, beside the same pixels read in the suggested space; while that is undecided, in both that it
 * may be. */
function Pictures({ texture, verdict, others: alsoIn }: { texture: Texture; verdict?: Detail['verdict']; others: string[] }) {
  const slug = useSlug();
  const project = useProject();
  const { space } = texture.assignment;
  const picture = (read: string) =>
    `/api/v1/projects/${slug}/textures/${texture.id}/picture?` +
    new URLSearchParams({ space: read, size: '320', v: `${texture.thumbnail}-${project.data?.revision.number}` });
  const suggested = verdict?.space ? [verdict.space] : (verdict?.candidates ?? []).map((candidate) => candidate.space);
  const others = [...new Set([...suggested, ...alsoIn])].filter((other) => other !== null).filter((other) => other !== space);
  if (others.length === 0) {
    return (
      <figure className={`plate ${classes.single}`} style={{ margin: 0 }}>
        <img src={picture(space)} alt={`${texture.path} read as ${space}`} />
      </figure>
    );
  }
  return (
    <figure style={{ margin: 0 }}>
      <div className={`plate ${classes.pair}`}>
        <img src={picture(space)} alt={`${texture.path} read as ${space}`} />
        {others.map((other) => (
          <img key={other} src={picture(other)} alt={`${texture.path} read as ${other}`} />
        ))}
      </div>
      <figcaption className={`quiet small ${classes.captions}`}>
        <span className="ellipsis">now {space}</span>
        {others.map((other) => (
          <span key={other} className="ellipsis">
            as {other}
          </span>
        ))}
      </figcaption>
    </figure>
  );
}

/** The space that the file is read in, fixed by hand or not. */
export function Pin({ detail }: { detail: Detail }) {
  const pinned = detail.assignment.reason.kind === 'pin';
  const [note, setNote] = useState(detail.pin_note);
  const [shown, setShown] = useState(detail.version);
  if (shown !== detail.version) {
    // A reason never outlives what it was given for.
    setShown(detail.version);
    setNote(detail.pin_note);
  }
  const select = useRef<HTMLInputElement>(null);
  const change = useChange((slug, pin: { space: string; note: string }) =>
    body(
      api.PUT('/api/v1/projects/{slug}/textures/{id}/pin', {
        params: { path: { slug, id: detail.id } },
        body: { ...pin, based_on: detail.version },
      }),
    ),
  );
  useHotkeys([['p', () => select.current?.focus()]]);
  return (
    <div className="block">
      <SpaceSelect
        ref={select}
        label={pinned ? (detail.pin_author ? `Set by hand, by ${detail.pin_author}` : 'Set by hand') : `Read as, by ${reasonWord(detail.assignment)}`}
        description={pinned ? undefined : 'Choosing another space sets it by hand; rules no longer apply.'}
        value={detail.assignment.space}
        disabled={change.isPending}
        onChange={(space) => space && change.mutate({ space, note })}
      />
      {pinned ? (
        <div className="row" style={{ alignItems: 'flex-end' }}>
          <TextInput
            label="Reason"
            value={note}
            onChange={(event) => setNote(event.currentTarget.value)}
            onBlur={() => note !== detail.pin_note && change.mutate({ space: detail.assignment.space, note })}
            style={{ flex: 1 }}
          />
          <Button onClick={() => change.mutate({ space: '', note: '' })} loading={change.isPending}>
            Back to the rules
          </Button>
        </div>
      ) : (
        <div>
          <Button
            onClick={() => change.mutate({ space: detail.assignment.space, note })}
            loading={change.isPending}
          >
            Set by hand as it is
          </Button>
        </div>
      )}
    </div>
  );
}

/** Every rule in order: what it found, which decided, and which would have come next. */
export function Why({ detail }: { detail: Detail }) {
  const { reason } = detail.assignment;
  const decides = detail.why.find((trace) => trace.space !== null);
  return (
    <div className="block">
      <h3>Why this space</h3>
      {reason.kind === 'pin' && <p className="small">Set by {detail.pin_author || 'hand'}. Without that:</p>}
      <ol className={classes.why} aria-label="Rules in order">
        {detail.why.map((trace) => {
          const isLast = trace === detail.why.at(-1);
          return (
            <li key={trace.index} className={`small ${trace === decides ? classes.decided : 'quiet'}`} style={{ display: 'contents' }}>
              <span className={classes.number}>{isLast ? '·' : trace.index + 1}</span>
              <span className={trace === decides ? classes.decided : 'quiet'}>
                {trace.because}
                {trace.space !== null && (
                  <>
                    {trace === decides ? ' → ' : ', would give '}
                    <span className="mono">{trace.space}</span>
                  </>
                )}
              </span>
            </li>
          );
        })}
      </ol>
    </div>
  );
}

function Remove({ texture }: { texture: Texture }) {
  const remove = useRemove([texture.id]);
  return (
    <div>
      <Button variant="subtle" size="compact-xs" onClick={() => remove.mutate(undefined)} loading={remove.isPending}>
        Remove
      </Button>
    </div>
  );
}
