import type { ReactNode } from 'react';
import { Link } from 'react-router';

import { type Config, type Rule, useProject, useSlug } from '../api/hooks';
import { PATH_SEARCH, ruleMatches, ruleTitle } from '../textures/ruleWords';

/** What the config holds besides spaces, roles and views. */
export function RulesLooksVariables({ config }: { config: Config }) {
  const slug = useSlug();
  const project = useProject();
  const kinds = config.map_kinds;
  const matches = (rule: Config['file_rules'][number]) => {
    const known = project.data?.setup.rules.find(({ name }) => name === rule.name);
    if (known) return ruleMatches(known as Rule, kinds);
    return rule.matches || 'every file left';
  };
  return (
    <>
      <Part
        title="File rules"
        head={['', 'Rule', 'Matches', 'Space']}
        rows={config.file_rules.map((rule, index) => [
          String(index + 1),
          rule.name === PATH_SEARCH.name ? `${ruleTitle(PATH_SEARCH)} (${rule.name})` : rule.name,
          matches(rule),
          rule.space || 'that space',
        ])}
      >
        <p className="quiet small">
          The same rules as in <Link to={`/p/${slug}/textures`}>Textures</Link>, where they are edited.
        </p>
      </Part>
      <Part
        title="Looks"
        head={['Look', 'Applied in', '']}
        rows={config.looks.map((look) => [look.name, look.process_space, look.description])}
        none="No looks."
      />
      <Part
        title="Named transforms"
        head={['Name', 'Family', 'Encoding']}
        rows={config.named_transforms.map((named) => [named.name, named.family, named.encoding])}
        none="No named transforms."
      />
      <Part
        title="Viewing rules"
        head={['Rule', 'For pictures in', 'Views with it']}
        rows={config.viewing_rules.map((rule) => [
          rule.name,
          [...rule.encodings, ...rule.spaces].join(', '),
          [...new Set(config.views.filter((view) => view.rule === rule.name).map((view) => view.view))].join(', '),
        ])}
        none="No viewing rules: every view is offered for every picture."
      />
      <Part
        title="Context variables"
        head={['Variable', 'Where it is not set']}
        rows={config.variables.map((variable) => [variable.name, variable.default || 'empty'])}
        none="No context variables: the config is the same for every shot."
      />
      <Part
        title="Search path"
        head={['Folder']}
        rows={config.search_path.map((folder) => [folder])}
        none="No search path: the config needs no LUT files."
      />
    </>
  );
}

/** A list under its title, or the sentence that says there is nothing in it. */
function Part({
  title,
  head,
  rows,
  none = '',
  children,
}: {
  title: string;
  head: string[];
  rows: string[][];
  none?: string;
  children?: ReactNode;
}) {
  return (
    <section className="block">
      <h3>{title}</h3>
      {rows.length > 0 ? <Table label={title} head={head} rows={rows} /> : <p className="quiet small">{none}</p>}
      {children}
    </section>
  );
}

function Table({ label, head, rows }: { label: string; head: string[]; rows: string[][] }) {
  return (
    <table className="list" aria-label={label}>
      <thead>
        <tr>
          {head.map((title, index) => (
            <th key={index}>{title}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.join('\n')}>
            {row.map((cell, index) => (
              <td key={index} className={index === 0 ? undefined : 'small quiet'}>
                {cell}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
