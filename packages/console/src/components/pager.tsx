import { ChevronLeftIcon, ChevronRightIcon } from '@heroicons/react/20/solid';
import { formatCount } from '../format.js';
import { Button } from './button.js';

/** The way to older parts of a list that has the newest first; nothing where all of it is shown. */
export function ListPager({
  offset,
  numShown,
  pageRows,
  onOffset,
}: {
  offset: number;
  numShown: number;
  pageRows: number;
  onOffset: (offset: number) => void;
}) {
  if (offset === 0 && numShown < pageRows) return null;
  return (
    <div className="flex flex-wrap items-center justify-between gap-3 px-4 py-3 text-sm text-muted">
      <span role="status">
        {numShown === 0
          ? 'There are no older ones.'
          : `${formatCount(offset + 1)} to ${formatCount(offset + numShown)}`}
      </span>
      <span className="flex gap-2">
        <Button disabled={offset === 0} onClick={() => onOffset(Math.max(0, offset - pageRows))}>
          <ChevronLeftIcon aria-hidden className="size-4" />
          Newer
        </Button>
        <Button disabled={numShown < pageRows} onClick={() => onOffset(offset + pageRows)}>
          Older
          <ChevronRightIcon aria-hidden className="size-4" />
        </Button>
      </span>
    </div>
  );
}

/** Which rows of a long table are shown, and the way to those before and after. */
export function Pager({
  offset,
  numShown,
  total,
  pageRows,
  nothing,
  onOffset,
}: {
  offset: number;
  numShown: number;
  total: number;
  pageRows: number;
  /** Shown if there are no rows. */
  nothing: string;
  onOffset: (offset: number) => void;
}) {
  return (
    <div className="flex flex-wrap items-center justify-between gap-3 px-4 py-3 text-sm text-muted">
      <span role="status">
        {total === 0
          ? nothing
          : `${formatCount(offset + 1)} to ${formatCount(offset + numShown)} of ${formatCount(total)}`}
      </span>
      <span className="flex gap-2">
        <Button disabled={offset === 0} onClick={() => onOffset(Math.max(0, offset - pageRows))}>
          <ChevronLeftIcon aria-hidden className="size-4" />
          Earlier
        </Button>
        <Button disabled={offset + pageRows >= total} onClick={() => onOffset(offset + pageRows)}>
          Later
          <ChevronRightIcon aria-hidden className="size-4" />
        </Button>
      </span>
    </div>
  );
}
