import { Button, FileButton } from '@mantine/core';
import { useState } from 'react';

import { send } from '../api/client';
import { type Render, useChange, useProject, useRenders, useSwatches } from '../api/hooks';
import { css, figures, unitWord } from '../shared/colour';
import { Empty, Loaded } from '../shared/states';
import { RenderFacts } from './RenderFacts';
import classes from './Scene.module.css';
import { SwatchEditor } from './SwatchEditor';

type Selection = { swatch: number | 'new' } | { render: number };

/** Colours as they were typed with what they become, and the renders brought along. */
export function Scene() {
  const project = useProject();
  const swatches = useSwatches();
  const renders = useRenders();
  const [chosen, setSelection] = useState<Selection>();
  const bring = useChange((slug, file: File) => send<Render>(`/api/projects/${slug}/renders`, { file }));
  const firstSwatch = swatches.data?.[0];
  const selection: Selection = chosen ?? { swatch: firstSwatch?.id ?? 'new' };
  const swatch = 'swatch' in selection ? swatches.data?.find(({ id }) => id === selection.swatch) : undefined;
  const render = 'render' in selection ? renders.data?.find(({ id }) => id === selection.render) : undefined;
  const working = project.data?.setup.working_space ?? '';

  return (
    <div className="columns two">
      <section className="column" aria-label="Colours and renders">
        <div className="row spread">
          <h2>
            Colours <span className="quiet small">typed once, converted to {working}, seen through the view</span>
          </h2>
          <Button onClick={() => setSelection({ swatch: 'new' })}>Add colour</Button>
        </div>
        <Loaded of={swatches}>
          {(listed) =>
            listed.length === 0 ? (
              <Empty>No colours yet. Add the ones that the show is built on.</Empty>
            ) : (
              <div className={classes.swatches}>
                {listed.map((item) => (
                  <button
                    key={item.id}
                    className={`bare ${classes.swatch}`}
                    aria-pressed={item.id === swatch?.id}
                    onClick={() => setSelection({ swatch: item.id })}
                  >
                    <span className={classes.field}>
                      <span className={classes.paint} style={{ background: css(item.shown) }} />
                    </span>
                    <span className={classes.words}>
                      <strong className="ellipsis">{item.name}</strong>
                      <span className="mono small ellipsis">
                        {item.text} <span className="quiet">{unitWord(item.unit)}</span>
                      </span>
                      <span className="quiet small ellipsis">{item.space}</span>
                      <span className="mono small ellipsis" title={`in ${working}`}>
                        {figures(item.working)}
                      </span>
                    </span>
                  </button>
                ))}
              </div>
            )
          }
        </Loaded>
        <div className="row spread" style={{ marginTop: 12 }}>
          <h2>
            Renders <span className="quiet small">scene-linear pictures from the renderer</span>
          </h2>
          <FileButton onChange={(file) => file && bring.mutate(file)} accept=".exr,.hdr,.tif,.tiff">
            {(props) => (
              <Button {...props} loading={bring.isPending}>
                Bring a render
              </Button>
            )}
          </FileButton>
        </div>
        <Loaded of={renders}>
          {(listed) =>
            listed.length === 0 ? (
              <Empty>No renders yet. Bring an EXR to compare views on it.</Empty>
            ) : (
              listed.map((item) => (
                <button
                  key={item.id}
                  className={`bare card ${classes.render}`}
                  aria-current={item.id === render?.id}
                  onClick={() => setSelection({ render: item.id })}
                >
                  <span className="plate">
                    <img src={`${item.thumbnail}&size=320`} alt="" />
                  </span>
                  <span>
                    <strong>{item.name}</strong>
                    <br />
                    <span className="quiet">
                      {item.width} × {item.height} · {item.bit_depth} · read as{' '}
                      <span className="mono">{item.space}</span>, told by {item.told_by}
                    </span>
                  </span>
                </button>
              ))
            )
          }
        </Loaded>
      </section>
      <section className="column" aria-label="Selected">
        {render ? (
          <RenderFacts key={render.id} render={render} />
        ) : (
          <SwatchEditor
            key={swatch?.id ?? 'new'}
            swatch={swatch}
            isAdding={chosen !== undefined && 'swatch' in chosen && chosen.swatch === 'new'}
            onAdded={(id) => setSelection({ swatch: id })}
            onRemoved={() => setSelection(undefined)}
          />
        )}
      </section>
    </div>
  );
}
