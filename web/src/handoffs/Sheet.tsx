import { Button, CopyButton } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { Fragment, useState } from 'react';

import { api, body, type Schemas } from '../api/client';
import { type Station, useOwnFindings, useProject, useSlug } from '../api/hooks';
import { GuideMark } from '../guide/GuideMark';
import { FindingCard } from '../shared/FindingCard';
import { Loaded } from '../shared/states';
import { Captioned } from './Captioned';
import classes from './Chain.module.css';
import { type Mistake, useMistakes, usePictureAddress } from './useChain';

/** Where a setting is set, as people say it. */
export const LEVELS: Record<Schemas['SettingLevel'], string> = {
  environment: 'environment',
  preference: 'preferences',
  project: 'project',
  file: 'each file',
  node: 'each node or layer',
  output: 'when writing',
};

/** The chain and the test card tell it already. */
const NOT_TRIED = 'handoff.never-proved';

/** The settings of an application, in the order in which they are set. */
export function Sheet({ station }: { station: Station }) {
  const slug = useSlug();
  const project = useProject();
  const findings = useOwnFindings();
  const sheet = useQuery({
    queryKey: [slug, 'sheet', station.id],
    queryFn: () =>
      body(api.GET('/api/v1/projects/{slug}/stations/{id}/sheet', { params: { path: { slug, id: station.id } } })),
  });
  const own =
    findings.data?.filter(({ code, subject }) => code.startsWith('handoff.') && code !== NOT_TRIED && subject === station.name) ?? [];
  return (
    <section className="column" aria-label={`Settings of the ${station.name.toLowerCase()}`}>
      <h2>
        Settings of the {station.name.toLowerCase()}{' '}
        <span className="quiet small">from revision {project.data?.revision.number}</span>{' '}
        <GuideMark to="guide/handoffs#settings" about="settings" />
      </h2>
      {own.map((finding) => (
        <FindingCard key={finding.code} finding={finding} />
      ))}
      <Loaded of={sheet}>{(sections) => <SheetTable station={station} sections={sections} />}</Loaded>
    </section>
  );
}

/** Text that may break after the separators of a file name. */
function Breakable({ text }: { text: string }) {
  return text.split(/(?<=[/_])/).map((part, index) => (
    <Fragment key={index}>
      {part}
      <wbr />
    </Fragment>
  ));
}

/** Where a setting is set, and what can override it there. */
function Where({ line }: { line: Schemas['Setting'] }) {
  const overriding = line.overridden_at.map((level) => LEVELS[level]).join(', ');
  return (
    <>
      {LEVELS[line.level]}
      {overriding && <div>overridden by: {overriding}</div>}
    </>
  );
}

/** What goes wrong where it is set otherwise, and how that looks, for who asks. */
function Otherwise({ station, line, mistake }: { station: Station; line: Schemas['Setting']; mistake: Mistake | undefined }) {
  const [open, setOpen] = useState(false);
  return (
    <div className="quiet small">
      <button type="button" className="bare term" aria-expanded={open} onClick={() => setOpen(!open)}>
        if it is set otherwise
      </button>
      {open && (
        <div className="block">
          <span>
            {line.otherwise} {line.symptom && `It looks: ${line.symptom.charAt(0).toLowerCase()}${line.symptom.slice(1)}`}
          </span>
          {mistake && <RightAndWrong station={station} mistake={mistake} />}
        </div>
      )}
    </div>
  );
}

/** The project's own picture as it is meant, and with one mistake. */
function RightAndWrong({ station, mistake }: { station: Station; mistake: Mistake }) {
  const address = usePictureAddress();
  const picture = (agreed: boolean) =>
    address(`stations/${station.id}/mistake-picture`, [
      ['mistake', mistake.key],
      ['agreed', String(agreed)],
    ]);
  return (
    <div className={classes.pair}>
      <Captioned source={picture(true)}>Right</Captioned>
      <Captioned source={picture(false)}>Wrong: {mistake.label.toLowerCase()}</Captioned>
    </div>
  );
}

function SheetTable({ station, sections }: { station: Station; sections: Schemas['Section'][] }) {
  const mistakes = useMistakes(station.id);
  return (
    <>
      {sections.map((section) => (
        <div key={section.key} className="block">
          <h3>{section.title}</h3>
          <table className="list">
            <thead>
              <tr>
                <th>Setting</th>
                <th>Value</th>
                <th>Set in</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {section.settings.map((line) => (
                <tr key={line.key}>
                  <td style={{ width: '32%' }}>
                    <Breakable text={line.label} />
                  </td>
                  <td style={{ overflowWrap: 'anywhere' }}>
                    <span className="mono">{line.value}</span>
                    {line.why && <div className="quiet small">{line.why}</div>}
                    {line.otherwise && (
                      <Otherwise
                        station={station}
                        line={line}
                        mistake={mistakes.data?.find((one) => one.section === section.key && one.setting === line.key)}
                      />
                    )}
                  </td>
                  <td className="quiet small" style={{ width: '20%' }}>
                    <Where line={line} />
                  </td>
                  <td style={{ width: 60, textAlign: 'right' }}>
                    <CopyButton value={line.value}>
                      {({ copied, copy }) => (
                        <Button
                          size="compact-xs"
                          variant="subtle"
                          onClick={copy}
                          aria-label={`Copy the value of ${line.label}`}
                        >
                          {copied ? 'Copied' : 'Copy'}
                        </Button>
                      )}
                    </CopyButton>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      ))}
    </>
  );
}
