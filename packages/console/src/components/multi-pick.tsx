import { Field, Input, Label } from '@headlessui/react';
import { ExclamationTriangleIcon, PlusIcon } from '@heroicons/react/20/solid';
import { useState } from 'react';
import { Button } from './button.js';
import { CheckBox } from './check-field.js';
import { INPUT_STYLE } from './text-field.js';

export interface PickOption {
  /** What is picked. */
  readonly value: string;
  /** What people read, where that is not the value. */
  readonly text?: string;
  /** Other words that it is found by. */
  readonly aliases?: string;
  /** A figure or a word next to it. */
  readonly note?: string;
  /** What it holds, in small print below it. */
  readonly detail?: string;
  /** The note is a warning. */
  readonly isWarning?: boolean;
}

/** Values that are picked together. */
export interface PickGroup {
  readonly text: string;
  readonly values: readonly string[];
}

const SHOWN_OPTIONS = 200;

/** Several values, by search and tick boxes. @param isClosed unless it is, what is not among the options can be written */
export function MultiPick({
  label,
  options,
  values,
  groups = [],
  isSingle = false,
  isClosed = false,
  onChange,
}: {
  label: string;
  options: readonly PickOption[];
  values: readonly string[];
  groups?: readonly PickGroup[];
  isSingle?: boolean;
  isClosed?: boolean;
  onChange: (values: readonly string[]) => void;
}) {
  const [search, setSearch] = useState('');
  const known = new Set(options.map(({ value }) => value));
  const all = [...values.filter((value) => !known.has(value)).map((value): PickOption => ({ value })), ...options];
  const wanted = search.trim().toLowerCase();
  const matching = all.filter((option) => wordsOf(option).includes(wanted));
  /** The one that is meant where it is written whole, or the only one that is left. */
  const meant =
    matching.find(({ value, text, aliases = '' }) =>
      [value, text, ...aliases.split(', ')].some((name) => name?.toLowerCase() === wanted),
    ) ?? (matching.length === 1 ? matching[0] : undefined);
  const isNew = !isClosed && wanted !== '' && !all.some(({ value }) => value === search.trim());
  const toggle = (value: string): void => {
    if (isSingle) return onChange([value]);
    onChange(values.includes(value) ? values.filter((eachValue) => eachValue !== value) : [...values, value]);
  };
  const add = (): void => {
    toggle(search.trim());
    setSearch('');
  };
  return (
    <div className="text-sm">
      <Field>
        <Label className="font-medium">{label}</Label>
        <div className="mt-1 flex gap-2">
          <Input
            value={search}
            onChange={(event) => setSearch(event.target.value)}
            onKeyDown={(event) => {
              if (event.key !== 'Enter') return;
              event.preventDefault();
              if (meant && wanted !== '') {
                toggle(meant.value);
                setSearch('');
              } else if (isNew) add();
            }}
            placeholder={isClosed ? 'Search' : 'Search, or write a value'}
            className={INPUT_STYLE}
          />
          {isNew && (
            <Button onClick={add}>
              <PlusIcon aria-hidden className="size-4" />
              Add
            </Button>
          )}
        </div>
      </Field>
      {!isSingle && <Groups label={label} groups={groups} values={values} onChange={onChange} />}
      <ul className="mt-2 max-h-52 overflow-auto" aria-label={`${label}, to pick from`}>
        {matching.slice(0, SHOWN_OPTIONS).map((option) => (
          <OptionRow
            key={option.value}
            option={option}
            isPicked={values.includes(option.value)}
            onToggle={() => toggle(option.value)}
          />
        ))}
      </ul>
      {matching.length === 0 && !isNew && (
        <p className="text-muted">{isClosed ? 'Nothing is called so.' : 'Nothing to pick from: write a value.'}</p>
      )}
    </div>
  );
}

/** All that an option is found by. */
function wordsOf({ value, text = '', aliases = '' }: PickOption): string {
  return `${value} ${text} ${aliases}`.toLowerCase();
}

function Groups({
  label,
  groups,
  values,
  onChange,
}: {
  label: string;
  groups: readonly PickGroup[];
  values: readonly string[];
  onChange: (values: readonly string[]) => void;
}) {
  if (groups.length === 0) return null;
  return (
    <div className="mt-2 flex flex-wrap gap-1" role="group" aria-label={`${label} by group`}>
      {groups.map(({ text, values: members }) => {
        const isWhole = members.every((member) => values.includes(member));
        const others = values.filter((value) => !members.includes(value));
        return (
          <Button
            key={text}
            size="small"
            aria-pressed={isWhole}
            look={isWhole ? 'primary' : 'quiet'}
            onClick={() => onChange(isWhole ? others : [...others, ...members])}
          >
            {text}
          </Button>
        );
      })}
    </div>
  );
}

function OptionRow({
  option: { value, text, note, detail, isWarning },
  isPicked,
  onToggle,
}: {
  option: PickOption;
  isPicked: boolean;
  onToggle: () => void;
}) {
  return (
    <li>
      <label className="flex cursor-pointer items-center gap-2 rounded-md px-1 py-1 hover:bg-sunken">
        <CheckBox isOn={isPicked} onChange={onToggle} />
        <span className="flex min-w-0 grow items-baseline justify-between gap-3">
          <span className="min-w-0">
            <span className="block truncate">
              {text ?? value} {text !== undefined && <span className="font-mono text-muted">{value}</span>}
            </span>
            {detail && (
              <span className="line-clamp-1 font-mono text-xs text-muted" title={detail}>
                {detail}
              </span>
            )}
          </span>
          {note && (
            <span
              className={`flex shrink-0 items-center gap-1 tabular-nums ${isWarning ? 'text-limited' : 'text-muted'}`}
            >
              {isWarning && <ExclamationTriangleIcon aria-hidden className="size-4" />}
              {note}
            </span>
          )}
        </span>
      </label>
    </li>
  );
}
