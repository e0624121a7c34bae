import { Field, Label, Listbox, ListboxButton, ListboxOption, ListboxOptions } from '@headlessui/react';
import { CheckIcon, ChevronUpDownIcon } from '@heroicons/react/20/solid';

export interface Option<V> {
  readonly value: V;
  readonly text: string;
}

/** One of a few options, picked from a list. */
export function Choice<V extends string | number>({
  label,
  value,
  options,
  isLabelHidden = false,
  onChange,
}: {
  label: string;
  /** What is next to it shows what it is. */
  isLabelHidden?: boolean;
  value: V;
  options: readonly Option<V>[];
  onChange: (value: V) => void;
}) {
  const chosen = options.find((option) => option.value === value);
  return (
    <Field className="flex items-center gap-2 text-sm">
      <Label className={isLabelHidden ? 'sr-only' : 'text-muted'}>{label}</Label>
      <Listbox value={value} onChange={onChange}>
        <ListboxButton className="flex items-center gap-2 rounded-lg border border-line bg-surface px-3 py-1.5 data-hover:bg-sunken">
          {chosen?.text ?? 'none'}
          <ChevronUpDownIcon aria-hidden className="size-4 text-muted" />
        </ListboxButton>
        <ListboxOptions
          anchor="bottom end"
          className="z-50 max-h-80 min-w-48 overflow-auto rounded-lg border border-line bg-surface p-1 text-sm shadow-lg [--anchor-gap:4px]"
        >
          {options.map((option) => (
            <ListboxOption
              key={option.value}
              value={option.value}
              className="group flex cursor-pointer items-center gap-2 rounded-md px-2 py-1.5 data-focus:bg-jade-soft"
            >
              <CheckIcon aria-hidden className="invisible size-4 text-jade group-data-selected:visible" />
              {option.text}
            </ListboxOption>
          ))}
        </ListboxOptions>
      </Listbox>
    </Field>
  );
}
