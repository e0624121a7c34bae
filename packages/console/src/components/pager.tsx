import { ChevronLeftIcon, ChevronRightIcon } from '@heroicons/react/20/solid';
import type { FormEvent } from 'react';
import { formatCount } from '../format.js';
import { Button } from './button.js';
import { INPUT_STYLE } from './text-field.js';

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
      {total > pageRows && <JumpForm key={offset} total={total} onOffset={onOffset} />}
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

/** Goes to any row at once. */
function JumpForm({ total, onOffset }: { total: number; onOffset: (offset: number) => void }) {
  const submit = (event: FormEvent<HTMLFormElement>): void => {
    event.preventDefault();
    const text = String(new FormData(event.currentTarget).get('row')).replace(/[\s,.]/g, '');
    if (/^\d{1,12}$/.test(text)) onOffset(Math.min(Math.max(0, Number(text) - 1), total - 1));
  };
  return (
    <form onSubmit={submit} className="flex items-center gap-2">
      <label className="flex items-center gap-2">
        Go to number
        <input name="row" inputMode="numeric" className={`${INPUT_STYLE} max-w-28`} placeholder={formatCount(total)} />
      </label>
      <Button type="submit">Go</Button>
    </form>
  );
}
