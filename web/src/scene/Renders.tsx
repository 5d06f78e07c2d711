import { Button, FileButton } from '@mantine/core';
import { type ReactNode, useRef, useState } from 'react';

import { api, body } from '../api/client';
import { useRenders } from '../api/hooks';
import { Player } from '../player/Player';
import { AddFiles, FolderInPlace } from '../shared/AddFiles';
import { Progressing } from '../shared/Progressing';
import { Loaded } from '../shared/states';
import { useRemembered } from '../shared/remembered';
import { FoldingColumn } from '../shared/Fold';
import { FirstRender } from './FirstRender';
import { LightCheck } from './LightCheck';
import { RenderFacts } from './RenderFacts';
import classes from './Scene.module.css';
import { useImportRenders } from './useImportRenders';

/** Pictures that renderers wrote: their layers, the space they are in, and what their light is worth. */
export function Renders({ parts }: { parts: ReactNode }) {
  const renders = useRenders();
  const [chosen, setChosen] = useRemembered<number | undefined>('selected render', undefined);
  const bring = useImportRenders(setChosen);
  const pick = useRef<HTMLButtonElement>(null);
  const [addsFolder, setAddsFolder] = useState(false);
  const render = renders.data?.find(({ id }) => id === chosen) ?? renders.data?.[0];
  return (
    <div className="columns two">
      <section className="column" aria-label="Renders">
        <div className="row spread">
          {parts}
          <div className="row">
            <FileButton onChange={(files) => bring.mutate(files)} accept=".exr,.hdr,.tif,.tiff,.png,.dpx" multiple>
              {(props) => (
                <Button {...props} ref={pick} size="xs" loading={bring.isPending}>
                  Import a render
                </Button>
              )}
            </FileButton>
            <AddFiles
              label="Import frames"
              files="Frames of a sequence"
              busy={bring.isPending}
              onFiles={(files) => bring.mutate(files)}
              onPickFiles={() => pick.current?.click()}
              onFolderInPlace={() => setAddsFolder(true)}
            />
          </div>
        </div>
        {bring.progress && <Progressing {...bring.progress} onCancel={bring.cancel} />}
        {addsFolder && (
          <FolderInPlace
            example="/shows/lantern_quay/shots/dusk"
            onRead={async (slug, place) => {
              const made = await body(
                api.POST('/api/v1/projects/{slug}/renders/sequences', { params: { path: { slug } }, body: { place } }),
              );
              if (made[0]) setChosen(made[0].id);
            }}
            onClose={() => setAddsFolder(false)}
          />
        )}
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
                          {item.sequence && ` · frames ${item.sequence.first}–${item.sequence.last}`}
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
                {render?.sequence && <Player key={`player ${render.id}`} render={render} />}
                {render && <LightCheck key={`${render.id} ${render.layer}`} render={render} />}
              </>
            )
          }
        </Loaded>
      </section>
      <FoldingColumn label="Selected" guide="guide/scene#renders">
        {render && <RenderFacts key={render.id} render={render} />}
      </FoldingColumn>
    </div>
  );
}
