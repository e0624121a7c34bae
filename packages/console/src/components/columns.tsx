import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';
import { useState } from 'react';
import { Button } from './button.js';
import { CheckField } from './check-field.js';
import type { Column } from './window-table.js';

/**
 * The columns of a table that are shown, remembered in this browser.
 * @param key under which they are remembered
 * @param hidden those that are not shown unless they are chosen
 */
export function useColumns<R>(key: string, all: readonly Column<R>[], hidden: readonly string[]) {
  const [shown, setShown] = useState<ReadonlySet<string>>(() => {
    const chosen = read(`jade-columns-${key}`);
    return new Set(chosen ?? all.map(({ id }) => id).filter((id) => !hidden.includes(id)));
  });
  const toggle = (id: string, isOn: boolean): void => {
    const changed = all.map((column) => column.id).filter((other) => (other === id ? isOn : shown.has(other)));
    localStorage.setItem(`jade-columns-${key}`, JSON.stringify(changed));
    setShown(new Set(changed));
  };
  return { columns: all.filter(({ id }) => shown.has(id)), shown, toggle };
}

function read(key: string): string[] | undefined {
  try {
    const value: unknown = JSON.parse(localStorage.getItem(key) ?? 'null');
    return Array.isArray(value) && value.length > 0 ? (value as string[]) : undefined;
  } catch {
    return undefined;
  }
}

/** Chooses the columns of a table. */
export function ColumnPicker<R>({
  all,
  shown,
  onToggle,
}: {
  all: readonly Column<R>[];
  shown: ReadonlySet<string>;
  onToggle: (id: string, isOn: boolean) => void;
}) {
  return (
    <Popover>
      <PopoverButton as={Button} size="small">
        Columns
      </PopoverButton>
      <PopoverPanel
        anchor="bottom end"
        className="z-40 grid gap-1.5 rounded-xl border border-line bg-surface p-3 shadow-xl [--anchor-gap:6px]"
      >
        {all.map(({ id, title }) => (
          <CheckField
            key={id}
            label={title}
            isOn={shown.has(id)}
            // One is left, so that there is a table.
            onChange={(isOn) => (isOn || shown.size > 1) && onToggle(id, isOn)}
          />
        ))}
      </PopoverPanel>
    </Popover>
  );
}
