import { useLayoutEffect, useRef, type KeyboardEvent, type ReactNode } from 'react';
import { Pager } from './pager.js';

export interface Column<R> {
  readonly id: string;
  readonly title: string;
  readonly className?: string;
  /** What is read of it, also in a file. */
  readonly text: (row: R) => string;
  /** What is drawn, where that is not its text. */
  readonly cell?: (row: R) => ReactNode;
}

/** Rows that are in view at once. */
export const WINDOW_ROWS = 25;
const ROW_PIXELS = 26;
/** Browsers lay out no element that is much higher; in longer tables a pixel of the scroll bar is more than it looks. */
const MOST_PIXELS = 20_000_000;

/** By which column the rows are sorted, and how that is changed. */
export interface Sorting {
  /** Absent where they have the order of the log. */
  readonly column: string | undefined;
  readonly isDescending: boolean;
  /** Why they cannot be sorted. */
  readonly problem: string | undefined;
  readonly onSort: (column: string) => void;
}

interface WindowTableProps<R> {
  readonly label: string;
  /** Shown if there are no rows. */
  readonly nothing: string;
  readonly columns: readonly Column<R>[];
  readonly total: number;
  /** The row on top, from 0. */
  readonly first: number;
  /** Undefined while it is on its way. */
  readonly rowAt: (index: number) => R | undefined;
  readonly isOpen?: (row: R) => boolean;
  readonly sorting?: Sorting;
  readonly onFirst: (first: number) => void;
  /** A click on a row, or an arrow key next to the open one. */
  readonly onOpen?: (row: R) => void;
  /** What is at the end of a row. */
  readonly action?: (row: R) => ReactNode;
}

/** A table of any length, of which the rows in view are on the page: it scrolls, and the arrow keys move the open row. */
export function WindowTable<R>(props: WindowTableProps<R>) {
  const { label, nothing, columns, total, first, rowAt, isOpen, sorting, onFirst, onOpen, action } = props;
  const box = useRef<HTMLDivElement>(null);
  const lastFirst = Math.max(0, total - WINDOW_ROWS);
  const scrollPixels = Math.min(lastFirst * ROW_PIXELS, MOST_PIXELS);
  const pixelsARow = lastFirst === 0 ? ROW_PIXELS : scrollPixels / lastFirst;
  // A jump to a row moves the bar; what the bar itself did is within a row of it.
  useLayoutEffect(() => {
    const element = box.current;
    const top = first * pixelsARow;
    if (element && Math.abs(element.scrollTop - top) >= Math.max(1, pixelsARow)) element.scrollTop = top;
  }, [first, pixelsARow]);
  const scroll = (): void => {
    const to = Math.min(lastFirst, Math.round(box.current!.scrollTop / pixelsARow));
    if (to !== first) onFirst(to);
  };
  const shown = Array.from({ length: Math.min(WINDOW_ROWS, total - first) }, (_, index) => first + index);
  const move = (event: KeyboardEvent): void => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const open = shown.find((index) => isOpenRow(rowAt(index), isOpen));
    const to = step === undefined || open === undefined ? undefined : open + step;
    const row = to === undefined ? undefined : rowAt(to);
    if (!row) return;
    event.preventDefault();
    onOpen?.(row);
    if (to! < first) onFirst(to!);
    if (to! >= first + WINDOW_ROWS) onFirst(to! - WINDOW_ROWS + 1);
  };
  return (
    <>
      <div
        ref={box}
        onScroll={scroll}
        onKeyDown={move}
        role="region"
        aria-label={label}
        tabIndex={0}
        className="overflow-auto"
        style={{ maxHeight: (WINDOW_ROWS + 1) * ROW_PIXELS + SCROLL_BAR_PIXELS }}
      >
        {/* As high as all rows, so that the bar is of them all; the table stays in view and shows those at the position of the bar. */}
        <div
          className="min-w-max"
          style={{ height: scrollPixels + (shown.length + 1) * ROW_PIXELS + SCROLL_BAR_PIXELS }}
        >
          <table aria-rowcount={total + 1} className="sticky top-0 w-full text-left text-sm">
            <thead className="bg-surface text-muted">
              <tr className="border-b border-line" style={{ height: ROW_PIXELS }} aria-rowindex={1}>
                {columns.map((column) => (
                  <ColumnHead key={column.id} column={column} sorting={sorting} />
                ))}
                {action && (
                  <th scope="col" className="sticky right-0 bg-surface">
                    <span className="sr-only">more</span>
                  </th>
                )}
              </tr>
            </thead>
            <tbody>
              {shown.map((index) => (
                <Row key={index} index={index} row={rowAt(index)} {...props} />
              ))}
            </tbody>
          </table>
        </div>
      </div>
      <Pager
        offset={first}
        numShown={shown.length}
        total={total}
        pageRows={WINDOW_ROWS}
        nothing={nothing}
        onOffset={onFirst}
      />
    </>
  );
}

function ColumnHead<R>({ column: { id, title }, sorting }: { column: Column<R>; sorting?: Sorting }) {
  const isSorted = sorting?.column === id;
  const order = sorting?.isDescending ? 'descending' : 'ascending';
  return (
    <th
      scope="col"
      aria-sort={isSorted ? order : undefined}
      className="px-2 py-0 font-medium whitespace-nowrap first:pl-4"
    >
      {sorting ? (
        <button
          type="button"
          disabled={sorting.problem !== undefined}
          title={sorting.problem ?? `Sort by ${title}`}
          onClick={() => sorting.onSort(id)}
          className="rounded hover:text-ink disabled:hover:text-muted"
        >
          {title}
          {isSorted && <span aria-hidden> {sorting.isDescending ? '↓' : '↑'}</span>}
        </button>
      ) : (
        title
      )}
    </th>
  );
}

/** One that is on its way is not open. */
function isOpenRow<R>(row: R | undefined, isOpen: WindowTableProps<R>['isOpen']): boolean {
  return row !== undefined && isOpen?.(row) === true;
}

const SCROLL_BAR_PIXELS = 16;

function Row<R>({
  index,
  row,
  columns,
  isOpen,
  onOpen,
  action,
}: WindowTableProps<R> & { index: number; row: R | undefined }) {
  const isOpened = isOpenRow(row, isOpen);
  const look = isOpened ? 'bg-jade-soft' : onOpen ? 'hover:bg-sunken' : '';
  return (
    <tr
      aria-rowindex={index + 2}
      aria-busy={row === undefined}
      onClick={() => row && onOpen?.(row)}
      style={{ height: ROW_PIXELS }}
      className={`border-b border-line last:border-b-0 ${onOpen ? 'cursor-pointer' : ''} ${look}`}
    >
      {columns.map(({ id, className = '', text, cell }) => (
        <td key={id} className={`px-2 py-0 whitespace-nowrap first:pl-4 ${className}`}>
          {row ? (cell ?? text)(row) : <span className="text-muted">…</span>}
        </td>
      ))}
      {action && (
        <td className={`sticky right-0 px-2 py-0 text-right ${isOpened ? 'bg-jade-soft' : 'bg-surface'}`}>
          {row && action(row)}
        </td>
      )}
    </tr>
  );
}
