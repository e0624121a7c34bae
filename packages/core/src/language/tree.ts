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
  readonly field: FieldName;
  readonly operator: Operator;
  /** `!=` and `not in` negate `=` and `in`. */
  readonly isNegated: boolean;
  readonly values: readonly Value[];
  readonly place: Place;
}

export type Operator = '=' | 'in' | 'under';

/** The fields of a condition, with the kind of their values and what each can be asked. */
export const FIELDS = {
  client: { kind: 'address', operators: ['=', 'in'] },
  country: { kind: 'country', operators: ['=', 'in'] },
  host: { kind: 'domain', operators: ['=', 'in', 'under'] },
  path: { kind: 'path', operators: ['=', 'in', 'under'] },
  method: { kind: 'word', operators: ['=', 'in'] },
  tag: { kind: 'tag', operators: ['=', 'in'] },
} as const satisfies Record<string, { kind: ValueKind; operators: readonly Operator[] }>;
export type FieldName = keyof typeof FIELDS;

export type ValueKind = 'address' | 'country' | 'domain' | 'path' | 'word' | 'tag';

/** The kind of list that may stand among values of a kind. */
export const LIST_KIND_OF: Partial<Record<ValueKind, ListKind>> = { address: 'addresses', country: 'countries', domain: 'domains' };
export const VALUE_KIND_OF: Record<ListKind, ValueKind> = { addresses: 'address', countries: 'country', domains: 'domain' };

/** One value of a comparison or entry of a list, in its normal form. */
export type Value = { readonly place: Place } & (
  | { readonly kind: 'addresses'; readonly range: AddressRange }
  | { readonly kind: 'country'; readonly code: string }
  | { readonly kind: 'domain'; readonly entry: DomainEntry }
  | { readonly kind: 'text'; readonly text: string }
  | { readonly kind: 'list'; readonly name: string }
);

/** Words with a meaning of their own, which cannot be names or bare values. */
export const RESERVED_WORDS: ReadonlySet<string> = new Set(
  'and or not in except otherwise when always during outside until then for by with if across from to at'.split(' '),
);
export const NAME = /^[a-z][a-z0-9-]{0,62}$/;
