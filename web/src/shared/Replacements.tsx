import { Button } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { type SetupParts, useProject, useSlug } from '../api/hooks';
import classes from './proposal.module.css';
import { DifferenceTable } from './DifferenceTable';

type Replacement = Schemas['Replacement'];
type Version = Exclude<NonNullable<SetupParts['target_version']>, ''>;

const FATES: { fate: Replacement['fate']; title: string }[] = [
  { fate: 'left out', title: 'Left out' },
  { fate: 'baked', title: 'Baked into LUTs; the difference is shown' },
  { fate: 'exact', title: 'Written with plain operations, the same colours' },
];

/** What an older OCIO version cannot hold, and what becomes of it. */
export function Replacements({ replacements, version }: { replacements: Replacement[]; version: Version }) {
  return (
    <div className="block" role="group" aria-label={`What OCIO ${version} cannot hold`}>
      {FATES.map(({ fate, title }) => {
        const parts = replacements.filter((part) => part.fate === fate);
        return (
          parts.length > 0 && (
            <div key={fate}>
              <h3>{title}</h3>
              <ul className={classes.parts}>
                {parts.map((part) => (
                  <li key={`${part.what} ${part.name}`} title={part.why}>
                    <span className="quiet">{part.what}</span> {part.name}
                  </li>
                ))}
              </ul>
            </div>
          )
        );
      })}
      {replacements.some((part) => part.fate === 'baked') && <HowFar version={version} />}
    </div>
  );
}

function HowFar({ version }: { version: Version }) {
  const slug = useSlug();
  const project = useProject();
  const [asked, setAsked] = useState(false);
  const differences = useQuery({
    queryKey: [slug, 'target-differences', project.data?.revision.number, version],
    queryFn: () =>
      body(api.GET('/api/v1/projects/{slug}/target-differences', { params: { path: { slug }, query: { version } } })),
    enabled: asked,
  });
  if (!asked) {
    return (
      <div>
        <Button onClick={() => setAsked(true)}>How far are the baked colours?</Button>
      </div>
    );
  }
  if (!differences.data) {
    return (
      <p role="status" className="quiet">
        {differences.error?.message ?? 'Sending 4,296 colours through both configs. This takes some seconds.'}
      </p>
    );
  }
  return <DifferenceTable differences={differences.data.differences.filter((row) => row.metric)} />;
}
