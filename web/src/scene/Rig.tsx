import { Button, Select } from '@mantine/core';
import { useHotkeys } from '@mantine/hooks';
import { type ReactNode } from 'react';

import { useLights, useRig } from '../api/hooks';
import { stops } from '../shared/colour';
import { FoldingColumn } from '../shared/Fold';
import { Empty, Loaded } from '../shared/states';
import { useRemembered } from '../shared/remembered';
import { LightRow } from './LightRow';
import { RigPicture } from './RigPicture';
import { RigSetup } from './RigSetup';
import { SameColour } from './SameColour';
import classes from './Scene.module.css';
import { SpectralReference } from './SpectralReference';
import { asked, useLightMix } from './useLightMix';
import { useSavedStops } from './useSaveLights';

const RIGHT = 'right';

/** The rig as the bench renderer sees it: lights that mix at once, and mistakes beside the right picture. */
export function Rig({ parts }: { parts: ReactNode }) {
  const rig = useRig();
  const lights = useLights();
  const mix = useLightMix(lights.data);
  useSavedStops(mix);
  const [beside, setBeside] = useRemembered('rig beside', RIGHT);
  const [exposure, setExposure] = useRemembered('rig exposure', 0);
  const [white, setWhite] = useRemembered('rig white', 4);
  useHotkeys([
    ['[', () => setExposure((before) => before - 0.5)],
    [']', () => setExposure((before) => before + 0.5)],
    ['0', () => setExposure(0)],
  ]);
  return (
    <div className="columns two">
      <section className="column" aria-label="Rig">
        <div className="row spread wrap">
          {parts}
          <div className="row">
            <Button size="xs" aria-label="Half a stop darker" onClick={() => setExposure(exposure - 0.5)}>
              −
            </Button>
            <span className="mono small" style={{ minWidth: 76, textAlign: 'center' }}>
              {stops(exposure)} stops
            </span>
            <Button size="xs" aria-label="Half a stop brighter" onClick={() => setExposure(exposure + 0.5)}>
              +
            </Button>
            {rig.data && (
              <Select
                aria-label="Wrong on purpose"
                size="xs"
                w={250}
                allowDeselect={false}
                value={beside}
                onChange={(value) => setBeside(value ?? RIGHT)}
                data={[
                  { value: RIGHT, label: 'Everything right' },
                  {
                    group: 'Wrong on purpose',
                    items: rig.data.mistakes.map(({ name, label }) => ({ value: `mistake ${name}`, label })),
                  },
                  {
                    group: 'Baked tone mappings',
                    items: rig.data.mappings.map(({ name, label }) => ({ value: `mapping ${name}`, label })),
                  },
                ]}
              />
            )}
          </div>
        </div>
        <Loaded of={rig}>
          {(data) => {
            const [kind, name] = beside.split(' ');
            const mistake = data.mistakes.find((listed) => kind === 'mistake' && listed.name === name);
            const mapping = data.mappings.find((listed) => kind === 'mapping' && listed.name === name);
            const isPair = mistake !== undefined || mapping !== undefined;
            const common = { ...asked(mix), exposure: String(exposure), quick: String(isPair), v: data.version };
            return (
              <>
                <div className={isPair ? classes.pair : undefined}>
                  <RigPicture
                    ask={common}
                    caption={
                      isPair
                        ? 'Right, through the view'
                        : `${data.width} × ${data.height}, ${data.samples} samples${data.samples <= 4 ? ': a quick look' : ''}`
                    }
                  />
                  {mistake && (
                    <RigPicture ask={{ ...common, mistake: mistake.name }} caption={`Wrong: ${mistake.label}`} />
                  )}
                  {mapping && (
                    <RigPicture
                      ask={{ ...common, mapping: mapping.name, white: String(white) }}
                      caption={`Baked: ${mapping.label}`}
                    />
                  )}
                </div>
                {mistake && (
                  <p className="card" role="note">
                    {mistake.shows} <span className="quiet">Found as</span>{' '}
                    <span className="mono small">{mistake.finding}</span>
                  </p>
                )}
                {mapping && (
                  <div className="card block" role="note">
                    <p>
                      {mapping.breaks} <span className="quiet">Found as</span>{' '}
                      <span className="mono small">render.view-baked</span>
                    </p>
                    {mapping.name === 'reinhard' && (
                      <Select
                        label="White point"
                        size="xs"
                        w={120}
                        allowDeselect={false}
                        value={String(white)}
                        onChange={(value) => setWhite(Number(value))}
                        data={['1', '2', '4', '8', '16', '64']}
                      />
                    )}
                  </div>
                )}
              </>
            );
          }}
        </Loaded>
        <h2>
          Lights <span className="quiet small">each is a layer: stops and colour mix at once, nothing is rendered again</span>
        </h2>
        <Loaded of={lights}>
          {(listed) =>
            listed.length === 0 ? (
              <Empty>The rig has no lights.</Empty>
            ) : (
              listed.map((light) => <LightRow key={light.name} light={light} mix={mix} />)
            )
          }
        </Loaded>
      </section>
      <FoldingColumn label="Rig set-up" guide="guide/scene#lights-and-rig">
        <RigSetup mix={mix} />
        <SameColour />
        <SpectralReference exposure={exposure} />
      </FoldingColumn>
    </div>
  );
}
