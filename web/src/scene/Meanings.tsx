import { Button } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';

import { api, body, type Schemas } from '../api/client';
import { useProject, useSlug } from '../api/hooks';
import { figures } from '../shared/colour';
import { Copyable } from '../shared/Copyable';

type CodeUnit = Schemas['Tracer']['unit'];
const CODE_UNITS: CodeUnit[] = ['unit', '8-bit', '10-bit', 'hex', 'hsv', 'hsl'];

/** Whether a notation gives code values, and not a colour that is the same in every space. */
export const isCode = (unit: CodeUnit) => CODE_UNITS.includes(unit);

/** What the same numbers mean read as encoded, as light, and through the inverse of the view. */
export function Meanings({
  unit,
  text,
  onTake,
}: {
  unit: CodeUnit;
  text: string;
  onTake?: (light: string) => void;
}) {
  const slug = useSlug();
  const project = useProject();
  const meanings = useQuery({
    queryKey: [slug, 'meaning', project.data?.revision.number, unit, text],
    queryFn: () =>
      body(
        api.GET('/api/v1/projects/{slug}/meaning', {
          params: { path: { slug }, query: { unit: unit as Exclude<CodeUnit, 'xyY' | 'kelvin' | 'daylight'>, text } },
        }),
      ),
    enabled: isCode(unit),
    retry: false,
  });
  if (!isCode(unit) || !meanings.data) return null;
  return (
    <>
      {meanings.data.map((meaning) => (
        <div className="row spread" key={meaning.way}>
          <span className="small">
            <span className="quiet">these numbers, {meaning.way}</span>
            <br />
            <span className="mono">
              {meaning.reason || <Copyable value={figures(meaning.light)} of={meaning.way} />}
            </span>
          </span>
          {onTake && !meaning.reason && (
            <Button size="compact-xs" onClick={() => onTake(numbers(meaning.light))}>
              Use
            </Button>
          )}
        </div>
      ))}
    </>
  );
}

/** Numbers as they are typed, to five decimals. */
export const numbers = (values: (number | null)[]) =>
  values.map((value) => Number((value ?? 0).toFixed(5))).join(' ');
