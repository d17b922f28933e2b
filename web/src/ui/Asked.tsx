import type { UseQueryResult } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { Button, Notice } from './controls';

const clockTime = (at: number) => new Date(at).toLocaleTimeString('en-GB');

type Props<T> = {
  query: UseQueryResult<T>;
  /** What is read, as in "Reading the orders". */
  what: string;
  children: (data: T) => ReactNode;
};
/** What was asked for, or where it stands: being read, not to be had, or of an earlier time. Each looks different. */
export function Asked<T>({ query, what, children }: Props<T>) {
  const again = (
    <Button
      disabled={query.isFetching}
      onClick={() => {
        void query.refetch();
      }}
    >
      Try again
    </Button>
  );
  if (query.data === undefined)
    return query.error ? (
      <div className="flex flex-col items-start gap-2 py-2">
        <Notice>{`The ${what} cannot be read: ${query.error.message}.`}</Notice>
        {again}
      </div>
    ) : (
      <p role="status" className="py-2 text-ink2">
        Reading the {what}
      </p>
    );
  return (
    <>
      {query.error && (
        <div className="flex items-center gap-2 py-1">
          <Notice>
            {`The ${what} cannot be read again: ${query.error.message}. What is shown was read at ${clockTime(query.dataUpdatedAt)} by this machine’s clock.`}
          </Notice>
          {again}
        </div>
      )}
      {children(query.data)}
    </>
  );
}
