import type { AddressRange } from '../request/address.js';
import type { DomainEntry } from '../reference/domain-set.js';
import type { Place } from './diagnostic.js';

/** What the parser makes of one file. Places and comments are kept; everything else is what the text says. */
export interface FenceFile {
  readonly path: string;
  readonly statements: readonly Statement[];
  /** Comments after the last statement. */
  readonly comments: readonly string[];
}

export type Statement = ListStatement | GateStatement | FenceStatement;

interface Named {
  readonly name: string;
  /** Lines of comment above the statement. */
  readonly comments: readonly string[];
  readonly place: Place;
}

export const LIST_KINDS = ['addresses', 'countries', 'domains'] as const;
export type ListKind = (typeof LIST_KINDS)[number];

export interface ListStatement extends Named {
  readonly kind: 'list';
  readonly listKind: ListKind;
  readonly title?: string;
  readonly source: InlineEntries | { readonly kind: 'file'; readonly path: string; readonly place: Place };
}

export interface InlineEntries {
  readonly kind: 'inline';
  readonly entries: readonly Value[];
  /** Taken from the entries, in this list only. */
  readonly exceptions: readonly Value[];
}

export interface GateStatement extends Named {
  readonly kind: 'gate';
  readonly direction: 'inbound';
  readonly hosts: readonly Value[];
  readonly fences: readonly Reference[];
  readonly otherwise: Ending;
}

export interface Reference {
  readonly name: string;
  readonly place: Place;
}

export interface FenceStatement extends Named {
  readonly kind: 'fence';
  readonly mode: 'trial' | 'enforce';
  readonly title?: string;
  readonly rules: readonly Rule[];
  readonly otherwise: Ending | { readonly kind: 'continue' };
}

/** What happens where no rule ended: at a gate or at the end of a fence. */
export type Ending = { readonly kind: 'allow' } | { readonly kind: 'block'; readonly status: number };

export const RULE_STATES = ['on', 'trial', 'off'] as const;

export interface Rule extends Named {
  readonly title?: string;
  readonly state: (typeof RULE_STATES)[number];
  readonly action: Action;
  readonly condition: Condition;
}

export const ACTIONS = ['allow', 'block', 'tag', 'observe'] as const;

export type Action =
  | { readonly kind: 'allow'; readonly isOutright: boolean }
  | { readonly kind: 'block'; readonly status: number }
  | { readonly kind: 'tag'; readonly tags: readonly string[] }
  | { readonly kind: 'observe' };

export const DEFAULT_BLOCK_STATUS = 403;

export type Condition =
  | { readonly kind: 'always' }
  | { readonly kind: 'and' | 'or'; readonly parts: readonly Condition[] }
  | { readonly kind: 'not'; readonly part: Condition }
  | Comparison;

export interface Comparison {
  readonly kind: 'comparison';
  readonly field: FieldName | FilterFieldName;
  readonly operator: Operator;
  /** `!=`, `not in` and `absent` negate `=`, `in` and `present`. */
  readonly isNegated: boolean;
  readonly values: readonly Value[];
  readonly place: Place;
}

export type Operator = '=' | 'in' | 'under' | '<' | '<=' | '>' | '>=' | 'present';

/** A field of a condition: the kind of its values, and what it can be asked. */
export interface FieldTraits {
  readonly kind: ValueKind;
  readonly operators: readonly Operator[];
}

/** The fields that rules and filters can ask. */
export const FIELDS = {
  client: { kind: 'address', operators: ['=', 'in', 'present'] },
  country: { kind: 'country', operators: ['=', 'in'] },
  host: { kind: 'domain', operators: ['=', 'in', 'under', 'present'] },
  path: { kind: 'path', operators: ['=', 'in', 'under', 'present'] },
  method: { kind: 'method', operators: ['=', 'in', 'present'] },
  tag: { kind: 'tag', operators: ['=', 'in', 'present'] },
} as const satisfies Record<string, FieldTraits>;
export type FieldName = keyof typeof FIELDS;

const NUMBER_OPERATORS = ['=', 'in', '<', '<=', '>', '>=', 'present'] as const;

/** The fields of decisions, which only filters can ask. */
export const FILTER_FIELDS = {
  'outcome': { kind: 'outcome', operators: ['=', 'in'] },
  'gate': { kind: 'name', operators: ['=', 'in', 'present'] },
  'fence': { kind: 'name', operators: ['=', 'in', 'present'] },
  'rule': { kind: 'rule', operators: ['=', 'in', 'present'] },
  'would': { kind: 'outcome', operators: ['=', 'in', 'present'] },
  'status': { kind: 'number', operators: NUMBER_OPERATORS },
  'recorded status': { kind: 'number', operators: NUMBER_OPERATORS },
  'line': { kind: 'number', operators: NUMBER_OPERATORS },
} as const satisfies Record<string, FieldTraits>;
export type FilterFieldName = keyof typeof FILTER_FIELDS;

export type ValueKind =
  'address' | 'country' | 'domain' | 'path' | 'method' | 'tag' | 'outcome' | 'name' | 'rule' | 'number';

export function traitsOf(field: FieldName | FilterFieldName): FieldTraits {
  return field in FIELDS ? FIELDS[field as FieldName] : FILTER_FIELDS[field as FilterFieldName];
}

/** The kind of list that may stand among values of a kind. */
export const LIST_KIND_OF: Partial<Record<ValueKind, ListKind>> = {
  address: 'addresses',
  country: 'countries',
  domain: 'domains',
};
export const VALUE_KIND_OF: Record<ListKind, ValueKind> = {
  addresses: 'address',
  countries: 'country',
  domains: 'domain',
};

/** One value of a comparison or entry of a list, in its normal form. */
export type Value = { readonly place: Place } & (
  | { readonly kind: 'addresses'; readonly range: AddressRange }
  | { readonly kind: 'country'; readonly code: string }
  | { readonly kind: 'domain'; readonly entry: DomainEntry }
  | { readonly kind: 'text'; readonly text: string }
  /** A whole number, or all from `first` to `last`, both included. */
  | { readonly kind: 'number'; readonly first: number; readonly last: number }
  | { readonly kind: 'list'; readonly name: string }
);

/** Words with a meaning of their own, which cannot be names or bare values. */
export const RESERVED_WORDS: ReadonlySet<string> = new Set(
  'and or not in except otherwise when always during outside until then for by with if across from to at'.split(' '),
);
export const NAME = /^[a-z][a-z0-9-]{0,62}$/;
