import { Button, Select } from '@mantine/core';
import { keepPreviousData, useQuery } from '@tanstack/react-query';

import { api, body, type Schemas } from '../api/client';
import { type Render, useProject, useSlug, type ViewChoice } from '../api/hooks';
import { displayName, figure } from '../shared/colour';
import { Fold } from '../shared/Fold';
import { usePicture } from '../shared/usePicture';
import { useRemembered } from '../shared/remembered';
import classes from './HdrCheck.module.css';

type Hdr = Schemas['Hdr'];

/** What the right picture shows. The peaks are in cd/m². */
const SHOWN = {
  false: { label: 'Bands of brightness', ask: { kind: 'false' } },
  '600': { label: 'A telephone of 600 cd/m²', ask: { kind: 'screen', peak: '600' } },
  '400': { label: 'A screen of 400 cd/m²', ask: { kind: 'screen', peak: '400' } },
  all: { label: 'All its light', ask: { kind: 'screen', peak: '10000' } },
} as const;
type Shown = keyof typeof SHOWN;
const WHITES = ['100', '203', '400', '600', '1000', '4000'];

/** An HDR view judged on a screen that shows none: beside an SDR view, in bands, and as lesser screens show it. */
export function HdrCheck({ render, choice, exposure }: { render: Render; choice: ViewChoice; exposure: number }) {
  const slug = useSlug();
  const project = useProject();
  const frame = render.sequence?.frame;
  const query = { ...choice, exposure, ...(frame === undefined ? {} : { frame }) };
  const found = useQuery({
    queryKey: [slug, 'hdr', render.id, render.image, render.space, project.data?.revision.number, query],
    queryFn: () =>
      body(api.GET('/api/v1/projects/{slug}/renders/{id}/hdr', { params: { path: { slug, id: render.id }, query } })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  if (!found.data?.is_hdr) return null;
  const asked = new URLSearchParams({
    ...choice,
    exposure: String(exposure),
    ...(frame === undefined ? {} : { frame: String(frame) }),
    v: `${render.image}-${render.space}-${project.data?.revision.number}`,
  });
  const address = `/api/v1/projects/${slug}/renders/${render.id}/hdr`;
  return (
    <Fold title="HDR on a screen without it" guide="guide/outputs/hdr">
      <Judged hdr={found.data} address={address} asked={asked} />
      <div className="row wrap">
        <Button component="a" size="compact-xs" download={`${render.name}.png`} href={`${address}/still?${asked.toString()}`}>
          Save an HDR PNG
        </Button>
        <Button
          component="a"
          size="compact-xs"
          download={`${render.name}.avif`}
          href={`${address}/still?kind=avif&${asked.toString()}`}
        >
          Save an HDR AVIF
        </Button>
        <span className="quiet small">To send to a telephone.</span>
      </div>
      <Fold title="The HDR file itself" open={false}>
        <p className="quiet small">On an HDR screen the browser shows it in HDR.</p>
        <div className="plate">
          <img src={`${address}/still?width=640&${asked.toString()}`} alt="The HDR file itself" />
        </div>
      </Fold>
    </Fold>
  );
}

function Judged({ hdr, address, asked }: { hdr: Hdr; address: string; asked: URLSearchParams }) {
  const [shown, setShown] = useRemembered<Shown>('hdr shown as', 'false');
  const [white, setWhite] = useRemembered('hdr white', '203');
  const { ask } = SHOWN[shown];
  const right = `${address}/picture?${new URLSearchParams({ ...ask, white }).toString()}&${asked.toString()}`;
  return (
    <>
      <div className={classes.pair}>
        <Picture
          address={`${address}/picture?kind=sdr&${asked.toString()}`}
          caption={`${hdr.sdr.view} on ${displayName(hdr.sdr.display)}, for judging`}
        />
        <Picture address={right} caption={SHOWN[shown].label} />
      </div>
      <div className="row wrap" style={{ alignItems: 'flex-end' }}>
        <Select
          size="xs"
          label="Right picture"
          data={Object.entries(SHOWN).map(([value, { label }]) => ({ value, label }))}
          value={shown}
          allowDeselect={false}
          onChange={(value) => value && setShown(value as Shown)}
        />
        {shown !== 'false' && (
          <Select
            size="xs"
            label="White here stands for"
            w={150}
            data={WHITES.map((value) => ({ value, label: `${value} cd/m²` }))}
            value={white}
            allowDeselect={false}
            onChange={(value) => value && setWhite(value)}
          />
        )}
      </div>
      {shown === 'false' ? (
        <ul className={classes.bands} aria-label="Bands">
          {hdr.bands.map(({ above, colour, label }) => (
            <li key={above} className="row small">
              <span className={classes.band} style={{ background: colour || '#5c5c5c' }} /> {label}
            </li>
          ))}
        </ul>
      ) : (
        <p className="quiet small">
          {shown === 'all'
            ? 'What is brighter than white here is cut.'
            : 'Simulated by ITU-R BT.2390, section 5.4.1, in each channel. Real devices differ.'}
        </p>
      )}
      <table className="list" aria-label="Light of the picture">
        <thead>
          <tr>
            <th>brightest</th>
            <th>mean</th>
            {hdr.above.map(({ nits }) => (
              <th key={nits}>above {nits.toLocaleString('en')}</th>
            ))}
            <th>view goes up to</th>
          </tr>
        </thead>
        <tbody>
          <tr className="mono small">
            <td>{figure(hdr.largest)}</td>
            <td>{figure(hdr.mean)}</td>
            {hdr.above.map(({ nits, share }) => (
              <td key={nits}>{(share * 100).toFixed(2)} %</td>
            ))}
            <td>{figure(hdr.made_on)} cd/m²</td>
          </tr>
        </tbody>
      </table>
    </>
  );
}

function Picture({ address, caption }: { address: string; caption: string }) {
  const picture = usePicture(address);
  return (
    <figure className={classes.figure}>
      <div className="plate">
        {picture.shown && <img src={picture.shown} alt={caption} />}
        {!picture.shown && picture.state === 'loading' && (
          <p className={classes.waiting} role="status">
            computing …
          </p>
        )}
        {picture.state === 'failed' && <p role="alert">This picture could not be drawn.</p>}
      </div>
      <figcaption className="quiet small">{caption}</figcaption>
    </figure>
  );
}
