import { useDebouncedValue } from '@mantine/hooks';
import { keepPreviousData, useQuery } from '@tanstack/react-query';

import { api, body } from '../api/client';
import { useProject, useSlug } from '../api/hooks';
import classes from './Compare.module.css';
import type { Grade, Shot } from './drawer';
import type { PaneState } from './shown';

/** How far two panes are apart to the eye, pixel by pixel, computed by the server. */
export function DeltaMap({
  states,
  common,
  grade,
  width,
  height,
  window,
}: {
  states: [PaneState, PaneState];
  common: { render: number; exposure: number };
  grade: Grade;
  width: number;
  height: number;
  window: Shot['window'];
}) {
  const slug = useSlug();
  const project = useProject();
  const [asked] = useDebouncedValue(JSON.stringify({ panes: states, ...common, grade }), 100);
  const found = useQuery({
    queryKey: [slug, 'pair-difference', project.data?.revision.number, asked],
    queryFn: () =>
      body(api.POST('/api/v1/projects/{slug}/pair/difference', { params: { path: { slug } }, body: JSON.parse(asked) as never })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  if (found.error) {
    return (
      <span className={`${classes.waiting} small`} role="alert">
        {found.error.message}
      </span>
    );
  }
  const map = found.data;
  return (
    <>
      {map && (
        <span className={classes.part}>
          <img
            src={map.picture}
            alt={`${map.measure} of the two panes`}
            style={{
              height: height / window.height,
              left: (-window.x * width) / window.width,
              top: (-window.y * height) / window.height,
              width: width / window.width,
            }}
          />
        </span>
      )}
      <span className={`${classes.waiting} small`} role="status">
        {map
          ? `${map.measure}: mean ${map.mean.toFixed(2)}, 95 % below ${map.most.toFixed(1)}, largest ${map.largest.toFixed(1)}; ${(map.seen * 100).toFixed(0)} % of the picture above 1. Black is none, white ${map.shown_at} and more.`
          : 'comparing …'}
      </span>
    </>
  );
}
