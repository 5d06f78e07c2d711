import { Fragment, type ReactNode } from 'react';

export interface Fact {
  name: string;
  value: ReactNode;
}

/** Names and values of what is selected. */
export function Facts({ facts }: { facts: Fact[] }) {
  return (
    <dl className="facts">
      {facts.map((fact) => (
        <Fragment key={fact.name}>
          <dt>{fact.name}</dt>
          <dd>{fact.value}</dd>
        </Fragment>
      ))}
    </dl>
  );
}
