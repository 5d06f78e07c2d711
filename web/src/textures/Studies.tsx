import { useQueries } from '@tanstack/react-query';

import { api, body, type Schemas } from '../api/client';
import { type Texture, useProject, useSlug } from '../api/hooks';
import { figures } from '../shared/numbers';
import { type Diagram, GamutPlot, HistogramPlot } from '../shared/plots';
import classes from './TextureView.module.css';

type Study = Schemas['Study'];

/** What the file comes to in each space: figures, histogram, and where its colours lie. */
export function Studies({ texture, spaces, diagram }: { texture: Texture; spaces: string[]; diagram: Diagram }) {
  const slug = useSlug();
  const project = useProject();
  const studies = useQueries({
    queries: spaces.map((space) => ({
      queryKey: [slug, 'study', texture.id, space, project.data?.revision.number],
      queryFn: () =>
        body(
          api.GET('/api/v1/projects/{slug}/textures/{id}/study', {
            params: { path: { slug, id: texture.id }, query: { space } },
          }),
        ),
    })),
  });
  const known = studies.flatMap(({ data }) => (data ? [data] : []));
  const failed = studies.find(({ error }) => error)?.error;
  const [first] = known;
  if (failed) return <p role="alert">{failed.message}</p>;
  if (!first) return <p className="quiet small">Measuring …</p>;
  const { histogram } = first;
  return (
    <div className={classes.studies}>
      <div className={classes.study}>
        <HistogramPlot histogram={histogram} />
        <p className="quiet small">
          {histogram.in_stops ? 'stored light, in stops around middle grey' : 'stored numbers, 0 to 1'}
        </p>
        <Readings studies={known} />
      </div>
      {known.map(({ space, colours, gamuts }) => (
        <div key={space} className={classes.study}>
          {colours.length > 0 ? (
            <GamutPlot gamuts={gamuts} kind={diagram} colours={colours} />
          ) : (
            <p className="quiet small">{space} is data: its numbers are no colours.</p>
          )}
        </div>
      ))}
    </div>
  );
}

function Readings({ studies }: { studies: Study[] }) {
  const rows: [string, (reading: Study['reading']) => string][] = [
    ['median', ({ median }) => figures(median)],
    ['99 % below', ({ high }) => figures(high)],
    ['highest', ({ peak }) => figures(peak)],
    ['above 1', ({ above_one: above }) => share(above)],
    ['below 0', ({ below_zero: below }) => share(below)],
  ];
  return (
    <table className="list small" aria-label="Scene light in the working space">
      <thead>
        <tr>
          <th />
          {studies.map(({ space }, index) => (
            <th key={space}>{index === 0 ? 'now' : 'beside it'}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map(([name, told]) => (
          <tr key={name}>
            <td className="quiet">{name}</td>
            {studies.map(({ space, reading }) => (
              <td key={space} className="mono">
                {told(reading)}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const share = (part: number) => (part > 0 ? `${(part * 100).toFixed(2)} %` : 'none');
