import { Button, FileButton } from '@mantine/core';
import { type ReactNode, useState } from 'react';

import { send } from '../api/client';
import { type Finding, type Swatch, useChange, useOwnFindings, useProject, useSlug, useSwatches } from '../api/hooks';
import { css, figures, shortView, unitWord } from '../shared/colour';
import { LevelMark } from '../shared/marks';
import { Empty, Loaded } from '../shared/states';
import { useRemembered } from '../shared/remembered';
import { FoldingColumn } from '../shared/Fold';
import { References } from './References';
import classes from './Scene.module.css';
import { type Offered, SwatchEditor } from './SwatchEditor';

const NEW = '';

/** Colours as they were typed, with what they become. */
export function Colours({ parts }: { parts: ReactNode }) {
  const slug = useSlug();
  const project = useProject();
  const swatches = useSwatches();
  const findings = useOwnFindings();
  /** The name of the chosen swatch, or NEW; the first one until something is chosen. */
  const [chosen, setChosen] = useRemembered<string | undefined>('selected colour', undefined);
  const [offered, setOffered] = useState<Offered>();
  const bring = useChange((of, file: File) => 
    send<Swatch[]>(`/api/v1/projects/${of}/swatches/file`, { file, based_on: String(project.data?.revision.number ?? 0) }),
  );
  const name = chosen ?? swatches.data?.[0]?.name ?? NEW;
  const swatch = swatches.data?.find((listed) => listed.name === name);
  const working = project.data?.setup.working_space ?? '';
  return (
    <div className="columns two">
      <section className="column" aria-label="Colours">
        <div className="row spread wrap">
          {parts}
          <div className="row">
            <Button component="a" size="xs" variant="subtle" href={`/api/v1/projects/${slug}/swatches.csv`} download>
              CSV
            </Button>
            <Button component="a" size="xs" variant="subtle" href={`/api/v1/projects/${slug}/swatches.json`} download>
              JSON
            </Button>
            <Button component="a" size="xs" variant="subtle" href="/api/v1/chart.csv" download>
              Chart
            </Button>
            <FileButton onChange={(file) => file && bring.mutate(file)} accept=".csv,.json,.css">
              {(props) => (
                <Button {...props} size="xs" loading={bring.isPending} title="Swatches, a palette, or a chart’s reference values">
                  Import a file
                </Button>
              )}
            </FileButton>
            <Button
              size="xs"
              onClick={() => {
                setOffered(undefined);
                setChosen(NEW);
              }}
            >
              Add colour
            </Button>
          </div>
        </div>
        <Loaded of={swatches}>
          {(listed) =>
            listed.length === 0 ? (
              <Empty>No colours yet. Add the ones that the show is built on.</Empty>
            ) : (
              <div className={classes.swatches}>
                {listed.map((item) => (
                  <Tile
                    key={item.name}
                    swatch={item}
                    working={working}
                    finding={findings.data?.find(
                      ({ code, subject }) => code.startsWith('swatch.') && subject === item.name,
                    )}
                    chosen={item.name === name}
                    onChoose={() => setChosen(item.name)}
                  />
                ))}
              </div>
            )
          }
        </Loaded>
        <References
          onTake={({ text, use }) => {
            setOffered({ text, use: use === 'metal' ? 'metal' : 'surface' });
            setChosen(NEW);
          }}
        />
      </section>
      <FoldingColumn label="Selected" guide="guide/scene#colours">
        <SwatchEditor
          key={`${swatch?.name ?? 'new'} ${offered?.text ?? ''}`}
          swatch={swatch}
          offered={swatch ? undefined : offered}
          isAdding={chosen === NEW}
          onSaved={setChosen}
          onRemoved={() => setChosen(undefined)}
        />
      </FoldingColumn>
    </div>
  );
}

const readAs = ({ appears, space }: Swatch) =>
  appears ? `as it appears, ${shortView(appears.view)}` : space || 'no space needed';

function Tile({
  swatch,
  working,
  finding,
  chosen,
  onChoose,
}: {
  swatch: Swatch;
  working: string;
  finding: Finding | undefined;
  chosen: boolean;
  onChoose: () => void;
}) {
  const outside = swatch.facts?.displays.filter(({ holds }) => !holds).length ?? 0;
  return (
    <button className={`bare ${classes.swatch}`} aria-pressed={chosen} onClick={onChoose}>
      <span className={classes.field}>
        <span className={classes.paint} style={{ background: css(swatch.shown) }} />
      </span>
      <span className={classes.words}>
        <span className="row spread">
          <strong className="ellipsis">{swatch.name}</strong>
          <span className="quiet small">{swatch.use === 'surface' ? '' : swatch.use}</span>
        </span>
        <span className="mono small ellipsis">
          {swatch.text} <span className="quiet">{unitWord(swatch.unit)}</span>
        </span>
        <span className="quiet small ellipsis">{readAs(swatch)}</span>
        <span className="mono small ellipsis" title={`in ${working}`}>
          {figures(swatch.working)}
        </span>
        {(finding || outside > 0) && (
          <span className="row small" title={finding?.why}>
            <LevelMark level={finding?.level ?? 'note'} />
            <span className="ellipsis">
              {finding?.title ?? `outside ${outside} of ${swatch.facts?.displays.length} displays`}
            </span>
          </span>
        )}
      </span>
    </button>
  );
}
