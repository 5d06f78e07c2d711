import { Button, Popover, Select } from '@mantine/core';
import { useDisclosure } from '@mantine/hooks';

import { useConfig, useProject, useRenders } from '../api/hooks';
import { stops } from '../shared/colour';
import { NumberField } from '../shared/NumberField';
import { pictureName, type PaneState, type Shown } from './shown';

const AS_ALL = 'as all panes';
const REACH = 16;

/** What a pane has of its own, in few words. */
export function ownWords(pane: PaneState, shown: Pick<Shown, 'render' | 'layer'>): string {
  const parts = [
    pane.render !== null || pane.layer !== null ? pictureName(shown) : '',
    pane.exposure === null ? '' : `${stops(pane.exposure)} stops`,
    pane.working ? `working in ${pane.working}` : '',
  ].filter(Boolean);
  return parts.length > 0 ? `Pane settings: ${parts.join(' · ')}` : '';
}

/** What a pane shows otherwise than the others: picture, layer, exposure, working space. */
export function OwnChoice({
  number,
  pane,
  render,
  layer: shownLayer,
  onChange,
}: Pick<Shown, 'render' | 'layer'> & {
  number: number;
  pane: PaneState;
  onChange: (pane: PaneState) => void;
}) {
  const [opened, { toggle, close }] = useDisclosure();
  const renders = useRenders();
  const project = useProject();
  const config = useConfig();
  const set = (part: Partial<PaneState>) => onChange({ ...pane, ...part });
  const layers = typeof render === 'string' ? [] : render.layers;
  const spaces = config.data?.working_spaces ?? [];
  return (
    <Popover opened={opened} onChange={(open) => !open && close()} width={280} position="top-end" trapFocus returnFocus>
      <Popover.Target>
        <Button size="xs" aria-label={`Pane settings, pane ${number}`} aria-expanded={opened} onClick={toggle} title="Another picture, layer, exposure or working space in this pane only">
          Pane settings
        </Button>
      </Popover.Target>
      <Popover.Dropdown>
        <div className="block">
          <Select
            label="Picture"
            comboboxProps={{ withinPortal: false }}
            data={[
              { value: '', label: AS_ALL },
              ...(renders.data ?? []).map(({ id, name }) => ({ value: String(id), label: name })),
            ]}
            value={pane.render === null ? '' : String(pane.render)}
            onChange={(id) => set({ render: id ? Number(id) : null, layer: null })}
          />
          {layers.length > 1 && (
            <Select
              label="Layer"
              comboboxProps={{ withinPortal: false }}
              data={layers.map((layer) => ({ value: `${layer} `, label: layer || 'the first' }))}
              value={`${shownLayer} `}
              onChange={(layer) => layer !== null && set({ layer: layer.slice(0, -1) })}
            />
          )}
          <NumberField
            label="Exposure, stops"
            placeholder={AS_ALL}
            value={pane.exposure ?? ''}
            min={-REACH}
            max={REACH}
            step={0.5}
            decimalScale={2}
            onChange={(value) => set({ exposure: typeof value === 'number' ? value : null })}
          />
          <Select
            label="Working space"
            comboboxProps={{ withinPortal: false }}
            data={[{ value: '', label: `the project’s, ${project.data?.setup.working_space ?? ''}` }, ...spaces]}
            value={pane.working}
            onChange={(working) => set({ working: working ?? '' })}
          />
          <p className="quiet small">
            In another working space, looks and views that work in it give other colours; light itself stays.
          </p>
          <Button size="xs" onClick={() => set({ render: null, layer: null, exposure: null, working: '' })}>
            All as in the other panes
          </Button>
        </div>
      </Popover.Dropdown>
    </Popover>
  );
}
