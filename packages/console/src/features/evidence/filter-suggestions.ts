import { FIELD_INFOS } from '@jadefence/core/edit';
import { FILTER_FIELDS, OUTCOMES, type ListKind } from '@jadefence/core/language';
import { listCountries } from '@jadefence/core/reference';

/** What a filter can name. */
export interface FilterNames {
  readonly lists: readonly { readonly name: string; readonly kind: ListKind }[];
  /** As `fence/rule`. */
  readonly rules: readonly string[];
  readonly fences: readonly string[];
  readonly gates: readonly string[];
}

const MOST = 40;
const EQUAL = ['=', '!=', 'in', 'not in'];
const ORDERED = ['=', '<', '<=', '>', '>='];

/** Fields of decisions, with their operators. */
const DECISION_FIELDS = new Map<string, readonly string[]>(
  Object.entries(FILTER_FIELDS).map(([field, kind]) => [field, kind === 'number' || kind === 'time' ? ORDERED : EQUAL]),
);
const OPERATORS = new Map([
  ...FIELD_INFOS.map(({ field, operators }) => [field as string, operators as readonly string[]] as const),
  ...DECISION_FIELDS,
]);
/** Longer names first, so that "server country" is not taken for "country". */
const FIELDS = [...OPERATORS.keys()].sort((a, b) => b.length - a.length);
const FIELD_AT_END = new RegExp(
  `(?:^|[\\s(])(${FIELDS.join('|')})(?:\\s+"[^"]*")?(\\s+(?:not in|in|!=|<=|>=|=|<|>)(?:\\s+[^\\s,]+\\s*,)*)?$`,
);

/** The filter with its last word completed, in each way that the language goes on. */
export function suggestFilters(text: string, names: FilterNames): string[] {
  const word = /[^\s,()"]*$/.exec(text)![0];
  const written = text.slice(0, text.length - word.length);
  return nextWords(written.trimEnd(), names)
    .filter((candidate) => candidate.startsWith(word) && candidate !== word)
    .slice(0, MOST)
    .map((candidate) => `${written}${candidate} `);
}

function nextWords(before: string, names: FilterNames): readonly string[] {
  if (before === '' || /(?:^|[\s(])(and|or|not)$|\($/.test(before)) return [...OPERATORS.keys(), 'not'].sort();
  const [, field, operator] = FIELD_AT_END.exec(before) ?? [];
  if (field === undefined) return ['and', 'or'];
  return operator === undefined ? OPERATORS.get(field)! : valuesOf(field, names);
}

function valuesOf(field: string, { lists, rules, fences, gates }: FilterNames): readonly string[] {
  if (field === 'outcome' || field === 'would') return OUTCOMES;
  if (field === 'rule' || field === 'throttled') return rules;
  if (field === 'fence') return fences;
  if (field === 'gate') return gates;
  const info = FIELD_INFOS.find((candidate) => candidate.field === field);
  const named = lists.filter(({ kind }) => kind === info?.listKind).map(({ name }) => name);
  const countries = info?.listKind === 'countries' ? listCountries().map(({ code }) => code) : [];
  return [...named, ...(info?.words ?? []), ...countries];
}
