import { Button, FileButton } from '@mantine/core';
import { type ReactNode } from 'react';

import { send } from '../api/client';
import { type Render, useChange, useRenders } from '../api/hooks';
import { Loaded } from '../shared/states';
import { useRemembered } from '../shared/remembered';
import { FoldingColumn } from '../shared/Fold';
import { FirstRender } from './FirstRender';
import { LightCheck } from './LightCheck';
import { RenderFacts } from './RenderFacts';
import classes from './Scene.module.css';

/** Pictures that renderers wrote: their layers, the space they are in, and what their light is worth. */
export function Renders({ parts }: { parts: ReactNode }) {
  const renders = useRenders();
  const [chosen, setChosen] = useRemembered<number | undefined>('selected render', undefined);
  const bring = useChange((slug, file: File) => send<Render>(`/api/v1/projects/${slug}/renders`, { file }));
  const render = renders.data?.find(({ id }) => id === chosen) ?? renders.data?.[0];
  return (
    <div className="columns two">
      <section className="column" aria-label="Renders">
        <div className="row spread">
          {parts}
          <FileButton
            onChange={(file) => file && bring.mutate(file, { onSuccess: ({ id }) => setChosen(id) })}
            accept=".exr,.hdr,.tif,.tiff,.png"
          >
            {(props) => (
              <Button {...props} size="xs" loading={bring.isPending}>
                Import a render
              </Button>
            )}
          </FileButton>
        </div>
        <Loaded of={renders}>
          {(listed) =>
            listed.length === 0 ? (
              <FirstRender what="Renders stand here with their light checked." />
            ) : (
              <>
                <div className={classes.renders}>
                  {listed.map((item) => (
                    <button
                      key={item.id}
                      className={`bare card ${classes.render}`}
                      aria-current={item.id === render?.id}
                      onClick={() => setChosen(item.id)}
                    >
                      <span className="plate">
                        <img src={`${item.thumbnail}&size=160`} alt="" />
                      </span>
                      <span style={{ minWidth: 0 }}>
                        <strong style={{ overflowWrap: 'anywhere' }}>{item.name}</strong>
                        <br />
                        <span className="quiet small">
                          {item.width} × {item.height} · {item.bit_depth}
                          {item.layers.length > 1 && ` · ${item.layers.length} layers`}
                          {item.made_by && ` · by ${item.made_by}`}
                        </span>
                        <br />
                        <span className="quiet small">
                          read as <span className="mono">{item.space}</span>, detected from {item.told_by}
                        </span>
                      </span>
                    </button>
                  ))}
                </div>
                {render && <LightCheck key={`${render.id} ${render.layer}`} render={render} />}
              </>
            )
          }
        </Loaded>
      </section>
      <FoldingColumn label="Selected">
        {render && <RenderFacts key={render.id} render={render} />}
      </FoldingColumn>
    </div>
  );
}
