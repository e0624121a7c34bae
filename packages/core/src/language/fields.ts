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

/** What the language knows of a field. */
export interface FieldSpec {
  readonly kind: ValueKind;
  /** In sentences; the name of the field if absent. */
  readonly noun?: string;
  /** The field is written with a name behind it, or may be. */
  readonly parameter?: 'required' | 'optional';
  /** Encryption hides it from a gate that does not inspect. */
  readonly isEncrypted?: boolean;
  /** `inspect` rules may test it: it is known before a request is decrypted. */
  readonly isInspection?: boolean;
  /** Signatures of applications may test it. */
  readonly isSignature?: boolean;
  /** Limits may count by it. */
  readonly isLimitKey?: boolean;
  /** Expectations and synthetic requests may set it. */
  readonly isSettable?: boolean;
  /** Its values, if they are a few words. */
  readonly words?: readonly string[];
  /** The share of requests that one of its values usually matches, for choosing an index key; 0.01 if absent. */
  readonly selectivity?: number;
}

/**
 * Every field that rules and filters can test. A field that is added here does not compile until `REQUEST_FIELDS` of
 * `request/fields.ts` reads it, or the tables of `decide/view.ts` and `match/features/features.ts` do.
 */
export const FIELD_TABLE = {
  'client': { kind: 'address', isInspection: true },
  'peer': { kind: 'address', isInspection: true, isSettable: true },
  'country': { kind: 'country', isInspection: true, isLimitKey: true, selectivity: 0.02 },
  'server country': { kind: 'country', noun: 'country of the server', isInspection: true, selectivity: 0.02 },
  'server': { kind: 'address', isInspection: true, isSettable: true },
  'host': { kind: 'domain', isInspection: true, isSignature: true, isLimitKey: true },
  'site': { kind: 'domain', isInspection: true, isLimitKey: true },
  'scheme': { kind: 'word', selectivity: 0.5 },
  'transport': {
    kind: 'word',
    isInspection: true,
    isSignature: true,
    isSettable: true,
    words: ['tcp', 'udp', 'icmp'],
    selectivity: 0.5,
  },
  'port': { kind: 'number', isInspection: true, isSignature: true, selectivity: 0.5 },
  'method': { kind: 'word', isLimitKey: true, isSettable: true, selectivity: 0.2 },
  'path': { kind: 'path', isEncrypted: true, isSignature: true, isLimitKey: true, selectivity: 0.02 },
  'query': { kind: 'text', parameter: 'optional', isEncrypted: true, isLimitKey: true },
  'url': { kind: 'url' },
  'header': {
    kind: 'text',
    parameter: 'required',
    isEncrypted: true,
    isSignature: true,
    isLimitKey: true,
    isSettable: true,
  },
  'cookie': { kind: 'text', parameter: 'required', isEncrypted: true, isLimitKey: true, isSettable: true },
  'agent': {
    kind: 'text',
    noun: 'user agent',
    isEncrypted: true,
    isSignature: true,
    isLimitKey: true,
    isSettable: true,
  },
  'size': { kind: 'bytes', noun: 'size of the request body', isEncrypted: true, isSettable: true },
  'from-client': { kind: 'bytes', noun: 'number of bytes from the client', isSettable: true },
  'to-client': { kind: 'bytes', noun: 'number of bytes to the client', isSettable: true },
  'user': { kind: 'text', isInspection: true, isLimitKey: true, isSettable: true },
  'group': { kind: 'text', isInspection: true, isSettable: true },
  'category': { kind: 'category', isInspection: true, isLimitKey: true, selectivity: 0.05 },
  'application': { kind: 'application' },
  'payload': { kind: 'payload', isSignature: true },
  'tag': { kind: 'tag' },
  'gate': { kind: 'word' },
  'direction': { kind: 'word', words: ['inbound', 'outbound'] },
} as const satisfies Record<string, FieldSpec>;
export type FieldName = keyof typeof FIELD_TABLE;
export const FIELD_NAMES = Object.keys(FIELD_TABLE) as readonly FieldName[];

/** The traits of a field, with those that it lacks as undefined. */
export function specOf(field: FieldName): FieldSpec {
  return FIELD_TABLE[field];
}

function fieldsWith(trait: keyof FieldSpec): readonly FieldName[] {
  return FIELD_NAMES.filter((field) => specOf(field)[trait]);
}

/** The fields of decisions, which only filters can test. */
export const FILTER_FIELDS = {
  'outcome': 'outcome',
  'fence': 'word',
  'rule': 'rule',
  'would': 'outcome',
  'throttled': 'rule',
  'status': 'number',
  'recorded status': 'number',
  'line': 'number',
  'time': 'time',
} as const satisfies Record<string, ValueKind>;
export type FilterFieldName = keyof typeof FILTER_FIELDS;

/** Fields that are written with a name behind them; `query` may be used alone, too. */
export const FIELDS_WITH_PARAMETER: readonly (FieldName | FilterFieldName)[] = fieldsWith('parameter');
export const INSPECTION_FIELDS = fieldsWith('isInspection');
export const SIGNATURE_FIELDS = fieldsWith('isSignature');
/** What requests can be counted by; `client` has its own forms. */
export const KEY_FIELDS = fieldsWith('isLimitKey');
/** The fields that an expectation may set. */
export const EXPECT_FIELDS = fieldsWith('isSettable');

export function kindOf(field: FieldName | FilterFieldName): ValueKind {
  return field in FIELD_TABLE ? specOf(field as FieldName).kind : FILTER_FIELDS[field as FilterFieldName];
}

/** The values of a field, if they are a few words. */
export function wordsOf(field: FieldName | FilterFieldName): readonly string[] | undefined {
  return field in FIELD_TABLE ? specOf(field as FieldName).words : undefined;
}
