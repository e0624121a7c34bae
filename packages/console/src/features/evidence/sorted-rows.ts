import { useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import type { AddressState } from '../../address-state.js';
import type { PageQuery } from '../../api/queries.js';
import type { Column, Sorting } from '../../components/window-table.js';
import type { RowWindow } from './row-window.js';

/** More rows than these are not brought into another order than that of the log. */
export const MOST_SORTED = 2000;
const PAGE_ROWS = 1000;

/**
 * The rows of a table by a column, where they are few enough to be here all at once; the column is in the address.
 * @param pageOf the query of rows from one on
 */
export function useSortedRows<R>(
  rows: RowWindow<R>,
  { get, set }: AddressState,
  columns: readonly Column<R>[],
  pageOf: (offset: number, limit: number) => PageQuery<R>,
): { readonly rows: RowWindow<R>; readonly sorting: Sorting } {
  const written = get('sort');
  const isDescending = written?.startsWith('-') === true;
  const column = columns.find(({ id }) => id === written?.replace(/^-/, ''));
  const total = rows.total ?? 0;
  const isFew = total > 0 && total <= MOST_SORTED;
  const { queryKey } = pageOf(0, total);
  const all = useQuery({
    queryKey: [...queryKey, 'sorted'],
    queryFn: async () => {
      const found: R[] = [];
      while (found.length < total) {
        const page = await pageOf(found.length, PAGE_ROWS).queryFn();
        if (page.rows.length === 0) break;
        for (const row of page.rows) found.push(row);
      }
      return found;
    },
    enabled: column !== undefined && isFew && !rows.isStale,
    staleTime: Infinity,
  }).data;
  const sorted = useMemo(() => {
    if (!all || !column) return undefined;
    const order = new Intl.Collator('en', { numeric: true });
    const texts = new Map(all.map((row) => [row, column.text(row)]));
    const sign = isDescending ? -1 : 1;
    return [...all].sort((a, b) => sign * order.compare(texts.get(a)!, texts.get(b)!));
  }, [all, column, isDescending]);
  const shown = sorted && isFew ? { ...rows, rowAt: (index: number) => sorted[index] } : rows;
  return {
    rows: shown,
    sorting: {
      column: isFew ? column?.id : undefined,
      isDescending,
      problem: total > MOST_SORTED ? `Filter to at most ${MOST_SORTED} rows to sort them.` : undefined,
      onSort: (id) => {
        // Up, down, and as in the log again.
        const next = written === id ? `-${id}` : written === `-${id}` ? undefined : id;
        set({ sort: next, offset: undefined }, true);
      },
    },
  };
}
