import { Button } from '@mantine/core';
import { useDisclosure } from '@mantine/hooks';

import { api, body } from '../api/client';
import { isBusy, useChange, useJobs, useProject, useRig, useSpectral } from '../api/hooks';
import { Progressing } from '../shared/Progressing';
import { RigPicture } from './RigPicture';

/** Every working space beside the same rig rendered with spectra. */
export function SpectralReference({ exposure }: { exposure: number }) {
  const spectral = useSpectral();
  const project = useProject();
  const rig = useRig();
  const jobs = useJobs();
  const [opened, { toggle }] = useDisclosure(false);
  const start = useChange((slug) =>
    body(api.POST('/api/v1/projects/{slug}/rig/spectral', { params: { path: { slug } } })),
  );
  const cancel = useChange((slug, id: number) =>
    body(api.POST('/api/v1/projects/{slug}/jobs/{id}/cancel', { params: { path: { slug, id } } })),
  );
  const running = jobs.data?.find((job) => job.kind === 'spectral-reference' && isBusy(job));
  const spaces = spectral.data?.spaces ?? [];
  return (
    <div className="block">
      <h2>Spectral reference</h2>
      {running ? (
        <Progressing share={running.share} doing={running.message || 'Waiting'} onCancel={() => cancel.mutate(running.id)} />
      ) : spaces.length === 0 ? (
        <>
          <p className="quiet small">
            The rig is rendered with 36 bands of wavelengths and in every working space, along the same paths of light.
            Some seconds.
          </p>
          <Button onClick={() => start.mutate(undefined)} loading={start.isPending}>
            Compare with spectra
          </Button>
        </>
      ) : (
        <>
          <table className="list" aria-label="Working spaces beside spectra">
            <thead>
              <tr>
                <th>Working space</th>
                <th>mean ΔE</th>
                <th>worst</th>
              </tr>
            </thead>
            <tbody className="small">
              {spaces.map(({ space, whole }) => (
                <tr key={space}>
                  <td>{space === project.data?.setup.working_space ? <strong>{space}</strong> : space}</td>
                  <td className="mono">{whole.mean.toFixed(2)}</td>
                  <td className="mono">{whole.worst.toFixed(1)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <button className="bare small" aria-expanded={opened} onClick={toggle}>
            {opened ? '−' : '+'} By light and surface, mean (worst), and the spectral picture
          </button>
          {opened && (
            <>
              <RigPicture
                ask={{ spectral: 'true', exposure: String(exposure), v: rig.data?.version ?? '' }}
                caption="Rendered with spectra"
              />
              {spaces.map(({ space, surfaces, lights }) => (
                <p className="small" key={space}>
                  <strong>{space}</strong>{' '}
                  <span className="mono">
                    {[...lights, ...surfaces]
                      .map(({ name, mean, worst }) => `${name} ${mean.toFixed(2)} (${worst.toFixed(1)})`)
                      .join(' · ')}
                  </span>
                </p>
              ))}
            </>
          )}
          <p className="quiet small">
            ΔE 2000; worst is the 99th percentile. The spectra are the smoothest that have these colours: a real
            pigment or lamp may have others, so this ranks spaces for this scene and is no measurement of it.
          </p>
        </>
      )}
    </div>
  );
}
