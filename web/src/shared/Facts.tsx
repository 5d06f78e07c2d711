import { Fragment, type ReactNode } from 'react';

export interface Fact {
  name: string;
  value: ReactNode;
}

/** Names and values of what is selected; `wide` where values are sentences or lists. */
export function Facts({ facts, wide = false }: { facts: Fact[]; wide?: boolean }) {
  return (
    <dl className={wide ? 'facts wide' : 'facts'}>
      {facts.map((fact) => (
        <Fragment key={fact.name}>
          <dt>{fact.name}</dt>
          <dd>{fact.value}</dd>
        </Fragment>
      ))}
    </dl>
  );
}
