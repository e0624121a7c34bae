/** The fields that conditions can test, by kind of value, and the operators of each kind. */

/** The kinds of list, with the kind of value that each holds. */
export const VALUE_KIND_OF = {
  addresses: 'address',
  countries: 'country',
  domains: 'domain',
  urls: 'url',
  categories: 'category',
  applications: 'application',
} as const satisfies Record<string, ValueKind>;
export type ListKind = keyof typeof VALUE_KIND_OF;
export const LIST_KINDS = Object.keys(VALUE_KIND_OF) as ListKind[];

export type ValueKind =
  | 'address'
  | 'country'
  | 'domain'
  | 'url'
  | 'category'
  | 'application'
  | 'path'
  | 'text'
  | 'word'
  | 'tag'
  | 'number'
  | 'bytes'
  | 'payload'
  | 'outcome'
  | 'time'
  | 'rule';

/** The kind of list that values of a kind may name. */
export const LIST_KIND_OF: Partial<Record<ValueKind, ListKind>> = Object.fromEntries(
  Object.entries(VALUE_KIND_OF).map(([list, value]) => [value, list]),
);

export type Operator =
  | '='
  | 'in'
  | 'under'
  | 'like'
  | 'starts'
  | 'ends'
  | 'contains'
  | 'matches'
  | '<'
  | '<='
  | '>'
  | '>='
  | 'is'
  | 'present';

const TEXT_OPERATORS = ['=', 'in', 'like', 'starts', 'ends', 'contains', 'matches', 'present'] as const;
const NAMED_OPERATORS = ['=', 'in', 'present'] as const;
const NUMBER_OPERATORS = ['=', 'in', '<', '<=', '>', '>=', 'present'] as const;
/** Path and domain: the position of `under` is the one that reads best in error messages. */
const TREE_OPERATORS = ['=', 'in', 'under', 'like', 'starts', 'ends', 'contains', 'matches', 'present'] as const;

export const OPERATORS_OF: Record<ValueKind, readonly Operator[]> = {
  address: NAMED_OPERATORS,
  country: ['=', 'in'],
  domain: TREE_OPERATORS,
  url: ['in', 'present'],
  category: NAMED_OPERATORS,
  application: NAMED_OPERATORS,
  path: TREE_OPERATORS,
  text: TEXT_OPERATORS,
  word: NAMED_OPERATORS,
  tag: NAMED_OPERATORS,
  number: NUMBER_OPERATORS,
  bytes: NUMBER_OPERATORS,
  payload: ['starts', 'is', 'present'],
  outcome: NAMED_OPERATORS,
  time: NUMBER_OPERATORS,
  rule: NAMED_OPERATORS,
};

/** Operators that `anycase` may follow. */
export const ANY_CASE_OPERATORS: readonly Operator[] = ['=', 'like', 'starts', 'ends', 'contains'];
export const ANY_CASE_KINDS: readonly ValueKind[] = ['domain', 'path', 'text', 'word'];

/** The fields that rules and filters can test. */
export const FIELDS = {
  'client': 'address',
  'peer': 'address',
  'country': 'country',
  'server country': 'country',
  'server': 'address',
  'host': 'domain',
  'site': 'domain',
  'scheme': 'word',
  'transport': 'word',
  'port': 'number',
  'method': 'word',
  'path': 'path',
  'query': 'text',
  'url': 'url',
  'header': 'text',
  'cookie': 'text',
  'agent': 'text',
  'size': 'bytes',
  'from-client': 'bytes',
  'to-client': 'bytes',
  'user': 'text',
  'group': 'text',
  'category': 'category',
  'application': 'application',
  'payload': 'payload',
  'tag': 'tag',
  'gate': 'word',
  'direction': 'word',
} as const satisfies Record<string, ValueKind>;
export type FieldName = keyof typeof FIELDS;

/** The fields of decisions, which only filters can test. */
export const FILTER_FIELDS = {
  'outcome': 'outcome',
  'fence': 'word',
  'rule': 'rule',
  'would': 'outcome',
  'status': 'number',
  'recorded status': 'number',
  'line': 'number',
  'time': 'time',
} as const satisfies Record<string, ValueKind>;
export type FilterFieldName = keyof typeof FILTER_FIELDS;

/** Fields that are written with a name behind them; `query` may be used alone, too. */
export const FIELDS_WITH_PARAMETER: readonly (FieldName | FilterFieldName)[] = ['header', 'cookie', 'query'];

/** What `inspect` rules may test: what is known before a request is decrypted. */
export const INSPECTION_FIELDS: readonly FieldName[] = [
  'client',
  'peer',
  'country',
  'server',
  'server country',
  'host',
  'site',
  'category',
  'port',
  'transport',
  'user',
  'group',
];

/** What signatures of applications may test. */
export const SIGNATURE_FIELDS: readonly FieldName[] = [
  'host',
  'path',
  'port',
  'transport',
  'agent',
  'header',
  'payload',
];

/** What requests can be counted by; `client` has its own forms. */
export const KEY_FIELDS = [
  'country',
  'host',
  'site',
  'path',
  'method',
  'user',
  'agent',
  'category',
  'header',
  'cookie',
  'query',
] as const satisfies readonly FieldName[];

/** The fields that an expectation may set. */
export const EXPECT_FIELDS = [
  'peer',
  'server',
  'transport',
  'method',
  'header',
  'cookie',
  'agent',
  'size',
  'from-client',
  'to-client',
  'user',
  'group',
] as const satisfies readonly FieldName[];

export function kindOf(field: FieldName | FilterFieldName): ValueKind {
  return field in FIELDS ? FIELDS[field as FieldName] : FILTER_FIELDS[field as FilterFieldName];
}

/** Fields whose every value is one of a few words. */
export const WORDS_OF: Partial<Record<FieldName, readonly string[]>> = {
  transport: ['tcp', 'udp', 'icmp'],
  direction: ['inbound', 'outbound'],
};
