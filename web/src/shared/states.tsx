import { Button, Loader } from '@mantine/core';
import type { UseQueryResult } from '@tanstack/react-query';
import type { ReactNode } from 'react';

/** What is shown where there is nothing yet, with what to do about it. */
export function Empty({ children }: { children: ReactNode }) {
  return <div className="empty">{children}</div>;
}

type Asked<T> = Pick<UseQueryResult<T>, 'data' | 'error' | 'refetch'>;

/** The loading and failed states of something asked for; the content once it is there. */
export function Loaded<T>({ of: query, children }: { of: Asked<T>; children: (data: T) => ReactNode }) {
  if (query.data !== undefined) return children(query.data);
  if (query.error) {
    return (
      <Empty>
        <p role="alert">{query.error.message}</p>
        <Button onClick={() => void query.refetch()}>Try again</Button>
      </Empty>
    );
  }
  return (
    <Empty>
      <Loader size="sm" color="neutral" role="progressbar" aria-label="Loading" />
    </Empty>
  );
}
