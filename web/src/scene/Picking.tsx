import { Button, Select } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { type MouseEvent, useState } from 'react';

import { api, body } from '../api/client';
import { useConfig, useProject, useRenders, useSlug } from '../api/hooks';
import { css, figures } from '../shared/colour';
import type { Typed } from '../shared/TypedColourFields';
import { NumberField } from '../shared/NumberField';
import { PlaceFields, probeKeys } from '../shared/probing';
import { Meanings, numbers } from './Meanings';
import classes from './Scene.module.css';

/** Pick a colour from a render, as light or as the screen shows it, and see what the shown numbers may mean. */
export function Picking({ onPick }: { onPick: (typed: Partial<Typed>) => void }) {
  const slug = useSlug();
  const project = useProject();
  const config = useConfig();
  const renders = useRenders();
  const [chosen, setChosen] = useState<string | null>(null);
  const [point, setPoint] = useState<{ x: number; y: number }>();
  const [sample, setSample] = useState<number | string>(5);
  const working = project.data?.setup.working_space ?? '';
  const view = project.data?.setup.view;
  const displaySpace = config.data?.views.find((row) => row.display === view?.display && row.view === view.view)?.space;
  const render = renders.data?.find(({ id }) => String(id) === chosen) ?? renders.data?.[0];
  const probe = useQuery({
    queryKey: [slug, 'pick', render?.id, render?.version, point, sample, view],
    queryFn: () =>
      body(
        api.GET('/api/v1/projects/{slug}/renders/{id}/probe', {
          params: { path: { slug, id: render?.id ?? 0 }, query: {
              x: point?.x ?? 0,
              y: point?.y ?? 0,
              sample: Number(sample) || 1,
              display: view?.display ?? '',
              view: view?.view ?? '',
            },
          },
        }),
      ),
    enabled: render !== undefined && point !== undefined && view !== undefined,
  });
  const shown = probe.data?.values.map((value) => Math.min(1, Math.max(0, value ?? 0)));
  if (!render) return null;
  // A click tells whole pixels of the screen: half a pixel further is their middle.
  const pick = (event: MouseEvent<HTMLButtonElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const along = (place: number, size: number, pixels: number) =>
      Math.min(pixels - 1, Math.max(0, Math.floor((place / size) * pixels)));
    setPoint({
      x: along(event.clientX + 0.5 - box.left, box.width, render.width),
      y: along(event.clientY + 0.5 - box.top, box.height, render.height),
    });
  };
  return (
    <div className="block">
      <h3>Pick from a render</h3>
      {(renders.data?.length ?? 0) > 1 && (
        <Select
          aria-label="Render to pick from"
          data={renders.data?.map(({ id, name }) => ({ value: String(id), label: name }))}
          value={String(render.id)}
          allowDeselect={false}
          onChange={setChosen}
        />
      )}
      <div className="plate">
        <button
          className={`bare ${classes.picking}`}
          onClick={pick}
          onKeyDown={probeKeys(render, point, setPoint)}
          aria-label={`Pick from ${render.name}: click, or use the arrow keys`}
        >
          <img src={`${render.thumbnail}&size=320`} alt="" />
        </button>
      </div>
      <div className="row spread">
        <NumberField
          label="Sample size, pixels across"
          value={sample}
          onChange={setSample}
          min={1}
          max={101}
          allowDecimal={false}
          w={190}
        />
        <PlaceFields at={point} size={render} onMove={setPoint} />
      </div>
      {probe.error && <p role="alert">{probe.error.message}</p>}
      {probe.data && shown && (
        <>
          <div className="row spread">
            <span className="row small">
              <span className="disc" style={{ background: css(shown), height: 20, width: 20 }} />
              <span>
                light in {working}
                <br />
                <span className="mono">{figures(probe.data.light)}</span>
              </span>
            </span>
            <Button
              size="compact-xs"
              onClick={() => onPick({ space: working, unit: 'unit', text: numbers(probe.data.light) })}
            >
              Use
            </Button>
          </div>
          <div className="row spread">
            <span className="small">
              code values of {displaySpace}, through {view?.view}
              <br />
              <span className="mono">{figures(shown)}</span> <span className="quiet">8-bit</span>{' '}
              <span className="mono">{figures(shown, '8-bit')}</span>
            </span>
            {displaySpace && (
              <Button
                size="compact-xs"
                onClick={() => onPick({ space: displaySpace, unit: 'unit', text: numbers(shown) })}
              >
                Use
              </Button>
            )}
          </div>
          <Meanings unit="unit" text={numbers(shown)} onTake={(light) => onPick({ space: working, unit: 'unit', text: light })} />
        </>
      )}
    </div>
  );
}
