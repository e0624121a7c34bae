import { ExclamationTriangleIcon } from '@heroicons/react/20/solid';
import { ServiceError } from '@jadefence/contract';
import { LayoutError } from '@jadefence/core';
import type { UseQueryResult } from '@tanstack/react-query';
import type { ReactNode } from 'react';

/** Shows a query's data, or that it is on its way, or why there is none. */
export function Loaded<T>({ query, children }: { query: UseQueryResult<T>; children: (data: T) => ReactNode }) {
  if (query.data !== undefined) return children(query.data);
  if (query.error) return <ErrorNotice error={query.error} />;
  return (
    <p role="status" className="p-4 text-sm text-muted">
      Loading …
    </p>
  );
}

export function ErrorNotice({ error }: { error: Error }) {
  const hint =
    error instanceof ServiceError ? error.problem?.hint : error instanceof LayoutError ? error.hint : undefined;
  return (
    <div role="alert" className="flex gap-2 rounded-lg bg-soft-blocked px-3 py-2 text-sm text-blocked">
      <ExclamationTriangleIcon aria-hidden className="mt-0.5 size-4 shrink-0" />
      <div>
        <p className="font-medium">{error.message}</p>
        {hint && <p>{hint}</p>}
      </div>
    </div>
  );
}
