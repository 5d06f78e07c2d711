import { Button } from '@mantine/core';

import { JobCard } from '../app/Tray';
import { api, body, type Schemas } from '../api/client';
import { isBusy, useChange, useConvertedFiles, useJobs, useSlug } from '../api/hooks';
import { counted, LevelMark } from '../shared/marks';
import { baseName, megabytes } from '../shared/numbers';
import { useRemoval } from '../shared/useUndo';

/** What was made of each file, with what was found when it was read back. */
export function ConversionFiles({ conversion, onRemoved }: { conversion: Schemas['Conversion']; onRemoved: () => void }) {
  const slug = useSlug();
  const jobs = useJobs();
  const job = jobs.data?.find(({ id }) => id === conversion.job?.id) ?? conversion.job;
  const remove = useRemoval((of) =>
    body(api.DELETE('/api/v1/projects/{slug}/conversions/{id}', { params: { path: { slug: of, id: conversion.id } } })),
    `Conversion to ${conversion.space}`,
  );
  const use = useChange((of) =>
    body(api.POST('/api/v1/projects/{slug}/conversions/{id}/use', { params: { path: { slug: of, id: conversion.id } } })),
  );
  const files = useConvertedFiles(conversion.id);
  const shown = files.data?.pages.flatMap((page) => page.files) ?? [];
  const address = `/api/v1/projects/${slug}/conversions/${conversion.id}`;
  return (
    <>
      <div className="row spread">
        <h2 className="ellipsis">
          To {conversion.space}, {conversion.format}
        </h2>
        <span className="quiet small">revision {conversion.revision}</span>
      </div>
      {job && <JobCard job={job} />}
      {conversion.place && <p className="mono small">{conversion.place}</p>}
      {conversion.usable > 0 && !(job && isBusy(job)) && (
        <div className="row spread">
          <span className="small">
            Use {conversion.usable === 1 ? 'this file' : `these ${conversion.usable.toLocaleString('en-GB')} files`} as the
            project’s textures from now on. The originals stay on disk, and one undo brings them back.
          </span>
          <Button variant="filled" loading={use.isPending} style={{ flexShrink: 0 }} onClick={() => use.mutate(undefined)}>
            Use as textures
          </Button>
        </div>
      )}
      {conversion.usable === 0 && conversion.converted > 0 && (
        <p className="quiet small">The project uses these files, or no longer has the textures that they were made from.</p>
      )}
      <div className="row wrap">
        {conversion.converted > 0 && !conversion.place && (
          <Button component="a" href={`${address}/files.zip`} download>
            Save {counted(conversion.converted, 'file')}, {megabytes(conversion.size)}
          </Button>
        )}
        {(['csv', 'json'] as const).map((kind) => (
          <Button key={kind} component="a" href={`${address}/report.${kind}`} download>
            Report, {kind.toUpperCase()}
          </Button>
        ))}
        <Button
          variant="subtle"
          disabled={job !== null && isBusy(job)}
          loading={remove.isPending}
          onClick={() => remove.mutate(undefined, { onSuccess: onRemoved })}
        >
          {conversion.place ? 'Remove' : 'Delete'}
        </Button>
      </div>
      <table className="list" aria-label="Converted files">
        <thead>
          <tr>
            <th>File</th>
            <th>Became</th>
            <th>Largest error</th>
            <th>Clipped</th>
            <th>Outside gamut</th>
            <th>Size</th>
          </tr>
        </thead>
        <tbody>
          {shown.map(({ path, target, figures, reason, state }) => (
            <tr key={path}>
              <td style={{ overflowWrap: 'anywhere' }} title={path}>
                {baseName(path)}
              </td>
              {figures ? (
                <>
                  <td className="mono small" style={{ overflowWrap: 'anywhere' }}>
                    <span title={target}>{baseName(target)}</span>
                    {Object.entries(figures.data ?? {}).map(([layer, reason]) => (
                      <div key={layer} className="quiet">
                        {layer || 'The first layer'} passed as data, {reason}
                      </div>
                    ))}
                    {figures.hidden > 0 && (
                      <div className="quiet">{part(figures.hidden, figures.samples)} colour under alpha 0 is lost</div>
                    )}
                    {figures.not_finite > 0 && (
                      <div className="quiet">{figures.not_finite.toLocaleString('en-GB')} NaN and infinite values became black or white</div>
                    )}
                  </td>
                  <td className="mono small">{figures.largest_error.toPrecision(2)}</td>
                  <td className="mono small" style={{ whiteSpace: 'nowrap' }}>{part(figures.clipped, figures.samples)}</td>
                  <td className="mono small" style={{ whiteSpace: 'nowrap' }}>{part(figures.negative, figures.samples)}</td>
                  <td className="mono small" style={{ whiteSpace: 'nowrap' }}>
                    {megabytes(figures.size)}
                  </td>
                </>
              ) : (
                <td colSpan={5} className="small">
                  {reason ? (
                    <span className="row">
                      <LevelMark level="blocker" /> {reason}
                    </span>
                  ) : (
                    <span className="quiet">{state}</span>
                  )}
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      {files.hasNextPage && (
        <Button variant="subtle" loading={files.isFetchingNextPage} onClick={() => void files.fetchNextPage()}>
          Show more, {(conversion.count - shown.length).toLocaleString('en-GB')} are left
        </Button>
      )}
    </>
  );
}

const part = (count: number, of: number) => (count > 0 ? `${((count / of) * 100).toFixed(2)} %` : 'none');
