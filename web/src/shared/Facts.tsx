import { Fragment, type ReactNode } from 'react';

import { Copyable } from './Copyable';

/** A number, or several. */
const NUMBERS = /^[-−+]?\d[\d.,e+-]*( [-−+]?\d[\d.,e+-]*)*$/;

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
          <dd>
            {typeof fact.value === 'string' && NUMBERS.test(fact.value) ? (
              <Copyable value={fact.value} of={fact.name} />
            ) : (
              fact.value
            )}
          </dd>
        </Fragment>
      ))}
    </dl>
  );
}
