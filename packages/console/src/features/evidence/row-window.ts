import { useQueries, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import type { PageQuery } from '../../api/queries.js';
import { WINDOW_ROWS } from '../../components/window-table.js';

/** Rows that are requested together. */
const PAGE_ROWS = 50;
/** What is scrolled past is not requested. */
const SETTLE_MS = 60;

/** The rows of a long table that are in view. */
export interface RowWindow<R> {
  /** Undefined until the first rows are there. */
  readonly total: number | undefined;
  readonly rowAt: (index: number) => R | undefined;
  /** The rows of the filter before are still shown. */
  readonly isStale: boolean;
  readonly error: Error | null;
}

/**
 * Requests the rows in view, a page of them at a time. While those of another filter are on their way, the rows before stay.
 * @param filter a text that differs where the rows do
 * @param first the row on top
 * @param pageOf the query of the page that begins with a row
 */
export function useRowWindow<R>(
  filter: string,
  first: number,
  pageOf: (filter: string, offset: number, limit: number) => PageQuery<R>,
): RowWindow<R> {
  const client = useQueryClient();
  const settled = useSettled(first);
  const offsets = [...new Set([settled, settled + WINDOW_ROWS - 1].map(pageStart))];
  const results = useQueries({
    queries: offsets.map((offset) => pageOf(filter, offset, PAGE_ROWS)),
  });
  const latest = results.find(({ data }) => data)?.data;
  const [shown, setShown] = useState<{ readonly filter: string; readonly total: number }>();
  if (latest && (shown?.filter !== filter || shown.total !== latest.total)) setShown({ filter, total: latest.total });
  return {
    total: shown?.total,
    rowAt: (index) => {
      const { queryKey } = pageOf(shown?.filter ?? filter, pageStart(index), PAGE_ROWS);
      return client.getQueryData<Awaited<ReturnType<PageQuery<R>['queryFn']>>>(queryKey)?.rows[
        index - pageStart(index)
      ];
    },
    isStale: shown !== undefined && shown.filter !== filter,
    error: results.find(({ error }) => error)?.error ?? null,
  };
}

function pageStart(index: number): number {
  return index - (index % PAGE_ROWS);
}

/** The number as it is once it stays for a moment; at once where it was not changed lately. */
function useSettled(value: number): number {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), SETTLE_MS);
    return () => clearTimeout(timer);
  }, [value]);
  return settled;
}
