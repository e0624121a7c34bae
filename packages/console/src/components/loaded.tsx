import { ExclamationTriangleIcon } from '@heroicons/react/20/solid';
import { ServiceError } from '@jadefence/contract';
import { LogOptionsError } from '@jadefence/core/logs';
import type { UseQueryResult } from '@tanstack/react-query';
import type { ReactNode } from 'react';

const SHOWN_ERRORS = 20;

/** Shows a query's data, or that it is on its way, or why there is none. */
export function Loaded<T>({ query, children }: { query: UseQueryResult<T>; children: (data: T) => ReactNode }) {
  if (query.data !== undefined) return children(query.data);
  if (query.error) return <ErrorNotice error={query.error} />;
  return <Loading />;
}

export function Loading() {
  return (
    <p role="status" className="p-4 text-sm text-muted">
      Loading …
    </p>
  );
}

/** What went wrong, each error by itself where there are several, and what to do. */
export function ErrorNotice({ error }: { error: Error }) {
  const problem = error instanceof ServiceError ? error.problem : undefined;
  // The sign-in covers the page meanwhile.
  if (problem?.code === 'unauthenticated') return null;
  const hint = problem ? problem.hint : error instanceof LogOptionsError ? error.hint : undefined;
  const errors = (problem?.errors ?? []).filter(({ message }) => !error.message.includes(message));
  return (
    <div role="alert" className="flex gap-2 rounded-lg bg-soft-blocked px-3 py-2 text-sm text-blocked">
      <ExclamationTriangleIcon aria-hidden className="mt-0.5 size-4 shrink-0" />
      <div>
        <p className="font-medium">{error.message}</p>
        {errors.length > 0 && (
          <ul className="mt-1 grid gap-1">
            {errors.slice(0, SHOWN_ERRORS).map(({ place, message }) => (
              <li key={`${place} ${message}`}>
                <span className="font-mono text-xs">{place}</span> {message}
              </li>
            ))}
            {errors.length > SHOWN_ERRORS && <li>and {errors.length - SHOWN_ERRORS} more</li>}
          </ul>
        )}
        {hint && <p>{hint}</p>}
      </div>
    </div>
  );
}
