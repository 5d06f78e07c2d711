import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';

import { api, body, type Schemas } from '../api/client';
import { useProject, useSlug } from '../api/hooks';
import { counted } from '../shared/marks';
import { megabytes } from '../shared/numbers';

type Expected = Schemas['Expected'];
type Asked = Schemas['NewOutput'];

/** Seconds as somebody says them who waits. */
const waited = (seconds: number) =>
  seconds < 1 ? 'under a second' : seconds < 90 ? `${Math.round(seconds)} s` : `${Math.round(seconds / 60)} min`;

/** What it takes, in a line. */
export const costOf = ({ files, bytes, seconds }: Expected) =>
  [counted(files, 'file'), `at most ${megabytes(bytes)}`, ...(seconds === null ? [] : [`about ${waited(seconds)}`])].join(', ');

/** What the output that the form describes will cost and lose, before it is made. */
export function ExpectedOfForm({ asked }: { asked: Asked }) {
  const slug = useSlug();
  const project = useProject();
  const [steady] = useDebouncedValue(JSON.stringify(asked), 300);
  const expected = useQuery({
    queryKey: [slug, 'expected', steady, project.data?.revision.number],
    queryFn: () =>
      body(
        api.POST('/api/v1/projects/{slug}/outputs/foreseen', {
          params: { path: { slug } },
          body: JSON.parse(steady) as Asked,
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
  if (expected.error) return <p className="quiet small">{expected.error.message}</p>;
  if (!expected.data) return null;
  return (
    <div className="block" role="status" aria-label="What it will cost and lose">
      <p className="small">{costOf(expected.data)}</p>
      <Losses of={expected.data} />
    </div>
  );
}

export function Losses({ of: { losses } }: { of: Expected }) {
  if (losses.length === 0) return <p className="quiet small">Nothing is lost.</p>;
  return (
    <ul className="quiet small" style={{ margin: 0, paddingInlineStart: 18 }}>
      {losses.map((loss) => (
        <li key={loss}>{loss}</li>
      ))}
    </ul>
  );
}
