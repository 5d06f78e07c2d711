import { Button, Checkbox } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { useSlug, useTrim } from '../api/hooks';
import { displayName } from '../shared/colour';
import { counted } from '../shared/marks';
import { Loaded } from '../shared/states';
import classes from './Config.module.css';
import { useProposal } from '../shared/proposal';

type Choices = Schemas['TrimChoices'];
type Preview = Schemas['TrimPreview'];
type View = Choices['views'][number];

const viewKey = (view: { display: string; view: string }) => `${view.display}\n${view.view}`;

/** Cut the config down to what the show needs, with proof that its colours stay. */
export function RemoveUnused() {
  const choices = useTrim();
  return <Loaded of={choices}>{(data) => <TrimForm key={JSON.stringify(data)} choices={data} />}</Loaded>;
}

function TrimForm({ choices }: { choices: Choices }) {
  const slug = useSlug();
  const { propose } = useProposal();
  const names = (listed: { name: string; picked: boolean }[]) =>
    new Set(listed.filter(({ picked }) => picked).map(({ name }) => name));
  const [spaces, setSpaces] = useState(names(choices.spaces));
  const [looks, setLooks] = useState(names(choices.looks));
  const [views, setViews] = useState(new Set(choices.views.filter(({ picked }) => picked).map(viewKey)));
  const picked = {
    spaces: [...spaces],
    looks: [...looks],
    views: choices.views.filter((view) => views.has(viewKey(view))).map(({ display, view }) => ({ display, view, look: '' })),
  };
  const preview = useMutation({
    mutationFn: () => body(api.POST('/api/v1/projects/{slug}/trim', { params: { path: { slug } }, body: picked })),
  });
  const toggle = (set: Set<string>, save: (next: Set<string>) => void, name: string) => {
    const next = new Set(set);
    if (!next.delete(name)) next.add(name);
    save(next);
    preview.reset();
  };
  const pickUsed = () => {
    const used = (listed: { name: string; used: boolean }[]) =>
      new Set(listed.filter((item) => item.used).map(({ name }) => name));
    setSpaces(used(choices.spaces));
    setLooks(used(choices.looks));
    setViews(new Set(choices.views.filter((view) => view.used).map(viewKey)));
    preview.reset();
  };
  const displays = [...new Set(choices.views.map((view) => view.display))];
  return (
    <>
      <p className="quiet">
        Keep what the show needs. What that depends on (reference, roles, view transforms, looks, LUTs) is kept automatically.
      </p>
      <div className="row wrap">
        <Button onClick={pickUsed}>Keep only what this project uses</Button>
        <Button variant="filled" loading={preview.isPending} onClick={() => preview.mutate()}>
          Preview
        </Button>
        {choices.trimmed && (
          <Button onClick={() => propose({ trim: null }, 'Keep everything')}>Keep everything</Button>
        )}
      </div>
      {preview.data && (
        <TrimResult
          preview={preview.data}
          onPropose={() => propose({ trim: picked }, `Reduced to ${counted(preview.data.after.spaces, 'space')}`)}
        />
      )}
      {choices.proof && !preview.data && <ProofLine proof={choices.proof} />}
      <h3>Spaces</h3>
      <div className={classes.picks}>
        {choices.spaces.map(({ name, used }) => (
          <Pick
            key={name}
            label={name}
            used={used}
            checked={spaces.has(name)}
            onToggle={() => toggle(spaces, setSpaces, name)}
          />
        ))}
      </div>
      <h3>Views</h3>
      {displays.map((display) => (
        <div key={display} className="block">
          <span className="quiet small">{displayName(display)}</span>
          <div className={classes.picks}>
            {choices.views
              .filter((view: View) => view.display === display)
              .map((view) => (
                <Pick
                  key={view.view}
                  label={view.view}
                  used={view.used}
                  checked={views.has(viewKey(view))}
                  onToggle={() => toggle(views, setViews, viewKey(view))}
                />
              ))}
          </div>
        </div>
      ))}
      {choices.looks.length > 0 && <h3>Looks</h3>}
      <div className={classes.picks}>
        {choices.looks.map(({ name, used }) => (
          <Pick
            key={name}
            label={name}
            used={used}
            checked={looks.has(name)}
            onToggle={() => toggle(looks, setLooks, name)}
          />
        ))}
      </div>
    </>
  );
}

function Pick({
  label,
  used,
  checked,
  onToggle,
}: {
  label: string;
  used: boolean;
  checked: boolean;
  onToggle: () => void;
}) {
  return (
    <Checkbox
      size="xs"
      checked={checked}
      onChange={onToggle}
      label={
        <>
          {label} {used && <span className="quiet">in use</span>}
        </>
      }
    />
  );
}

function TrimResult({ preview, onPropose }: { preview: Preview; onPropose: () => void }) {
  const { before, after, proof } = preview;
  const rows = [
    ['spaces', before.spaces, after.spaces],
    ['views on displays', before.views, after.views],
    ['looks', before.looks, after.looks],
    ['bytes', before.bytes, after.bytes],
  ] as const;
  return (
    <div className="card chosen block" role="status" aria-label="What is left">
      <table className="list">
        <thead>
          <tr>
            <th />
            <th>before</th>
            <th>after</th>
          </tr>
        </thead>
        <tbody>
          {rows.map(([name, first, second]) => (
            <tr key={name}>
              <td>{name}</td>
              <td className="mono">{first.toLocaleString('en-GB')}</td>
              <td className="mono">{second.toLocaleString('en-GB')}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {preview.kept_besides.length > 0 && (
        <p className="small">
          Kept because something needs it: <span className="mono">{preview.kept_besides.join(', ')}</span>
        </p>
      )}
      <ProofLine proof={proof} />
      <div>
        <Button variant="filled" disabled={proof.largest !== 0} onClick={onPropose}>
          Remove the rest
        </Button>
      </div>
    </div>
  );
}

/** What the proof found, in one sentence. */
function ProofLine({ proof }: { proof: NonNullable<Choices['proof']> }) {
  const count = `${proof.colours.toLocaleString('en-GB')} colours through ${proof.compared} conversions`;
  return (
    <>
      <p className="small">
        {proof.largest === 0
          ? `Proved: ${count} give the same numbers as the whole config, bit for bit.`
          : `Not the same: ${count}, and ${proof.where} differs by ${proof.largest ?? 'more than can be measured'}.`}
      </p>
      {proof.unproved.map((line) => (
        <p key={line} className="quiet small">
          Could not be computed in either: {line}
        </p>
      ))}
    </>
  );
}
