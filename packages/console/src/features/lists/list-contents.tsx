import { MagnifyingGlassIcon, XMarkIcon } from '@heroicons/react/20/solid';
import type { EntryOrigin } from '@jadefence/contract';
import type { ListContents, ListEntry } from '@jadefence/core/edit';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useDeferredValue, useMemo, useRef, useState } from 'react';
import { INPUT_STYLE } from '../../components/text-field.js';
import { countOf, formatCount, formatMinute } from '../../format.js';

const ROW_PIXELS = 28;
/** Up to this many entries there is nothing to search for. */
const SEARCHABLE = 12;

interface Row {
  readonly entry: ListEntry;
  readonly isException: boolean;
  readonly origin?: EntryOrigin;
}

/** The entries of a list with their comments and who added them; of a long list only those in view are on the page. */
export function ListContentsTable({
  list,
  origins,
  onRemove,
}: {
  list: ListContents;
  origins?: readonly EntryOrigin[];
  /** Takes a line of the list out of it: an entry, or `except` and what is left out. */
  onRemove?: (line: string) => void;
}) {
  const [search, setSearch] = useState('');
  const wanted = useDeferredValue(search).trim().toLowerCase();
  const rows = useMemo(() => rowsOf(list, origins), [list, origins]);
  const shown = useMemo(
    () => (wanted === '' ? rows : rows.filter((row) => wordsOf(row).includes(wanted))),
    [rows, wanted],
  );
  if (rows.length === 0) return <p className="text-muted">It is empty.</p>;
  return (
    <div className="grid gap-2">
      {rows.length > SEARCHABLE && (
        <label className="flex items-center gap-2">
          <MagnifyingGlassIcon aria-hidden className="size-4 text-muted" />
          <input
            aria-label={`Search the entries of ${list.name}`}
            value={search}
            onChange={(event) => setSearch(event.target.value)}
            placeholder="Show only entries with …"
            className={INPUT_STYLE}
          />
          <span role="status" className="shrink-0 text-muted tabular-nums">
            {wanted === ''
              ? countOf(rows.length, 'entry', 'entries')
              : `${formatCount(shown.length)} of ${formatCount(rows.length)}`}
          </span>
        </label>
      )}
      <Rows list={list} rows={shown} onRemove={onRemove} />
    </div>
  );
}

function rowsOf({ entries, exceptions }: ListContents, origins: readonly EntryOrigin[] = []): Row[] {
  const rows: Row[] = [
    ...entries.map((entry) => ({ entry, isException: false })),
    ...exceptions.map((entry) => ({ entry, isException: true })),
  ];
  const byLine = new Map(origins.flatMap((origin) => origin.lines.map((line) => [line, origin])));
  return byLine.size === 0 ? rows : rows.map((row) => ({ ...row, origin: byLine.get(lineOf(row)) }));
}

function wordsOf({ entry, origin }: Row): string {
  return `${entry.text} ${entry.comment ?? ''} ${origin?.addedBy ?? ''}`.toLowerCase();
}

function lineOf({ entry, isException }: Row): string {
  return isException ? `except ${entry.text}` : entry.text;
}

function Rows({
  list,
  rows,
  onRemove,
}: {
  list: ListContents;
  rows: readonly Row[];
  onRemove?: (line: string) => void;
}) {
  const box = useRef<HTMLUListElement>(null);
  // eslint-disable-next-line react-hooks/incompatible-library -- nothing that it returns is kept between drawings
  const virtualizer = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW_PIXELS,
    getItemKey: (index) => lineOf(rows[index]!),
    overscan: 12,
  });
  const items = virtualizer.getVirtualItems();
  const before = items[0]?.start ?? 0;
  const after = virtualizer.getTotalSize() - (items.at(-1)?.end ?? 0);
  return (
    <ul ref={box} className="max-h-96 overflow-auto" aria-label={`Entries of ${list.name}`} tabIndex={0}>
      <li aria-hidden style={{ height: before }} />
      {items.map(({ index, key }) => (
        <EntryRow
          key={key}
          index={index}
          row={rows[index]!}
          list={list.name}
          measure={virtualizer.measureElement}
          onRemove={onRemove}
        />
      ))}
      <li aria-hidden style={{ height: Math.max(0, after) }} />
    </ul>
  );
}

function EntryRow({
  index,
  row,
  list,
  measure,
  onRemove,
}: {
  index: number;
  row: Row;
  list: string;
  measure: (row: HTMLElement | null) => void;
  onRemove?: (line: string) => void;
}) {
  const { entry } = row;
  const line = lineOf(row);
  return (
    <li ref={measure} data-index={index} className="border-b border-line py-0.5 last:border-b-0">
      <div className="flex items-center gap-3">
        <span className={`font-mono break-all ${row.isException ? 'text-blocked' : ''}`}>{line}</span>
        <span className="min-w-0 grow truncate text-muted" title={entry.comment}>
          {entry.comment}
        </span>
        {row.origin && (
          <span className="shrink-0 text-xs text-muted tabular-nums">
            {row.origin.addedBy ?? 'unknown'}, {formatMinute(row.origin.addedAt)}
          </span>
        )}
        {onRemove && (
          <button
            type="button"
            aria-label={`Remove ${line} from ${list}`}
            onClick={() => onRemove(line)}
            className="rounded p-0.5 text-muted hover:bg-sunken"
          >
            <XMarkIcon aria-hidden className="size-4" />
          </button>
        )}
      </div>
      {entry.contents && <Nested list={entry.contents} />}
    </li>
  );
}

const SHOWN_NESTED = 50;

/** What a list within a list holds. */
function Nested({ list }: { list: ListContents }) {
  const rows = rowsOf(list);
  return (
    <ul className="ml-3 border-l-2 border-line pl-3">
      {rows.slice(0, SHOWN_NESTED).map((row) => (
        <li key={lineOf(row)}>
          <span className={`font-mono ${row.isException ? 'text-blocked' : ''}`}>{lineOf(row)}</span>
          {row.entry.contents && <Nested list={row.entry.contents} />}
        </li>
      ))}
      {rows.length > SHOWN_NESTED && (
        <li className="text-muted">and {countOf(rows.length - SHOWN_NESTED, 'more entry', 'more entries')}</li>
      )}
    </ul>
  );
}
