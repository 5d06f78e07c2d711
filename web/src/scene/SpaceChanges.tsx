import { Button, Loader } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';

import { api, body } from '../api/client';
import { useProject, useRig, useSlug } from '../api/hooks';
import { ChangeList } from '../shared/ChangeList';
import { figures } from '../shared/colour';
import { FindingLine } from '../shared/FindingLine';
import { counted, LevelMark } from '../shared/marks';
import { useProposal } from '../shared/proposal';
import { RigPicture } from './RigPicture';
import classes from './Scene.module.css';

/** What another working space would change: the rig in both, colours, textures, findings. */
export function SpaceChanges({ space }: { space: string }) {
  const slug = useSlug();
  const project = useProject();
  const rig = useRig();
  const { propose } = useProposal();
  const current = project.data?.setup.working_space ?? '';
  const changes = useQuery({
    queryKey: [slug, 'working-space-changes', project.data?.revision.number, space],
    queryFn: () =>
      body(api.GET('/api/v1/projects/{slug}/working-space/changes', { params: { path: { slug }, query: { space } } })),
    retry: false,
  });
  if (changes.error) return <p role="alert">{changes.error.message}</p>;
  if (!changes.data) {
    return (
      <p role="status" className="row quiet">
        <Loader size="xs" color="neutral" /> Rendering the rig in both spaces …
      </p>
    );
  }
  const { colours, textures, rig: difference, stations } = changes.data;
  const lost = colours.filter(({ says }) => says);
  const version = `${rig.data?.version}-${project.data?.revision.number}`;
  return (
    <>
      <div className="row spread">
        <h2>What changes?</h2>
        <Button variant="filled" onClick={() => propose({ working_space: space }, `Working space ${space}`)}>
          Switch to {space} …
        </Button>
      </div>
      <div className={classes.triple}>
        <RigPicture ask={{ quick: 'true', v: version }} caption={`In ${current}`} />
        <RigPicture ask={{ space, quick: 'true', v: version }} caption={`In ${space}`} />
        <div className={classes.spots}>
          <RigPicture ask={{ space, difference: 'true', v: version }} caption="ΔE 2000, white is 5 and more" />
          {difference.spots.map((spot, index) => (
            <span
              key={index}
              className={`${classes.spot} mono`}
              style={{ left: `${(spot.x / difference.width) * 100}%`, top: `${(spot.y / difference.height) * 100}%` }}
            >
              {index + 1}
            </span>
          ))}
        </div>
      </div>
      <p>
        Mean ΔE <span className="mono">{difference.whole.mean.toFixed(2)}</span>, worst{' '}
        <span className="mono">{difference.whole.worst.toFixed(1)}</span>. Worst spots:{' '}
        {difference.spots.map(({ body: name, difference: far }, index) => (
          <span key={index} className="small">
            {index + 1} {name} <span className="mono">{far.toFixed(1)}</span>
            {index < difference.spots.length - 1 ? ', ' : '.'}
          </span>
        ))}
      </p>
      <h3>
        {counted(colours.length, 'colour')}
        {lost.length > 0 && `, ${lost.length} at the edge of the gamut`}
      </h3>
      <table className="list" aria-label="Colours before and after">
        <thead>
          <tr>
            <th>Colour</th>
            <th>in {current}</th>
            <th>in {space}</th>
            <th />
          </tr>
        </thead>
        <tbody className="small">
          {colours.map(({ kind, name, before, after, says, level }) => (
            <tr key={`${kind} ${name}`}>
              <td>
                {name} <span className="quiet">{kind}</span>
              </td>
              <td className="mono">{figures(before)}</td>
              <td className="mono">{figures(after)}</td>
              <td>
                {says && (
                  <span className="row">
                    <LevelMark level={level} /> {says}
                  </span>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <h3>{textures.length > 0 ? `${counted(textures.length, 'texture')} read differently` : 'Textures'}</h3>
      {textures.length > 0 ? (
        <ChangeList changes={textures} label="Textures read differently" />
      ) : (
        <p className="quiet small">
          Every texture stays in the space it is read in; only what it is converted to is another.
        </p>
      )}
      {changes.data.new_findings.map((finding) => (
        <FindingLine key={finding.code + finding.subject} finding={finding} word="new" />
      ))}
      {changes.data.gone_findings.map((finding) => (
        <FindingLine key={finding.code + finding.subject} finding={finding} word="settled" />
      ))}
      <h3>Set in the applications</h3>
      {stations.map((says) => (
        <p key={says} className="small quiet">
          {says}
        </p>
      ))}
    </>
  );
}
