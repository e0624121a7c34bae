import type { AddressRange } from '../request/address.js';
import type { DomainEntry } from '../reference/domain-set.js';
import type { SourceLocation } from './diagnostic.js';
import type { FieldName, FilterFieldName, ListKind, Operator } from './fields.js';
import type { Outcome } from './outcomes.js';

/** What the parser makes of one file. Places and comments are kept; everything else is as written. */
export interface FenceFile {
  readonly path: string;
  readonly statements: readonly Statement[];
  /** Comments after the last statement. */
  readonly comments: readonly string[];
}

/** In the order in which the error for an unknown statement lists them. */
export const STATEMENTS = ['zone', 'list', 'schedule', 'page', 'application', 'gate', 'fence', 'expect'] as const;
export type StatementKind = (typeof STATEMENTS)[number];

export type Statement =
  | ZoneStatement
  | ListStatement
  | ScheduleStatement
  | PageStatement
  | ApplicationStatement
  | GateStatement
  | FenceStatement
  | ExpectStatement;

interface Located {
  /** Lines of comment above the statement. */
  readonly comments: readonly string[];
  readonly place: SourceLocation;
}

interface Named extends Located {
  readonly name: string;
}

/** A name that refers to something defined elsewhere. */
export interface Reference {
  readonly name: string;
  readonly place: SourceLocation;
}

/** The time zone of dates and of schedules without one. */
export interface ZoneStatement extends Located {
  readonly kind: 'zone';
  /** An IANA time zone. */
  readonly zone: string;
}

export interface ListStatement extends Named {
  readonly kind: 'list';
  readonly listKind: ListKind;
  /** Of addresses: clients that are never to be stopped. Absent where they are not. */
  readonly isProtected?: true;
  readonly title?: string;
  readonly source: InlineEntries | FileSource | DatasetSource;
}

/** Entries that the service keeps under a name, since they are many or are refreshed. */
export interface DatasetSource {
  readonly kind: 'dataset';
  readonly name: string;
  readonly place: SourceLocation;
}

export interface FileSource {
  readonly kind: 'file';
  readonly path: string;
  readonly place: SourceLocation;
}

export interface InlineEntries {
  readonly kind: 'inline';
  readonly entries: readonly Value[];
  /** Taken from the entries, in this list only. */
  readonly exceptions: readonly Value[];
}

export interface ScheduleStatement extends Named {
  readonly kind: 'schedule';
  readonly zone?: string;
  readonly weekly: readonly WeeklyHours[];
  /** Dates (`2026-12-24`) whose hours are left out. */
  readonly exceptions: readonly string[];
}

export interface WeeklyHours {
  /** 1 is Monday, 7 is Sunday, ascending, each once. */
  readonly days: readonly number[];
  /** Minutes of the day, the end not included; an end below the start lies on the next day. */
  readonly spans: readonly { readonly fromMinute: number; readonly toMinute: number }[];
}

/** What a stopped person is shown. */
export interface PageStatement extends Named {
  readonly kind: 'page';
  readonly source: FileSource;
}

export const RISKS = ['low', 'medium', 'high'] as const;

/** A kind of traffic and how it is recognised. */
export interface ApplicationStatement extends Named {
  readonly kind: 'application';
  readonly title?: string;
  readonly category?: string;
  readonly risk?: (typeof RISKS)[number];
  readonly ports: readonly { readonly transport: 'tcp' | 'udp'; readonly port: number }[];
  /** Applications that must be allowed, too. */
  readonly needs: readonly Reference[];
  /** The application that carries it, and is recognised with it. */
  readonly over?: Reference;
  /** Any of these recognises it. */
  readonly signatures: readonly Condition[];
}

export const PATH_FORMS = ['fold-case', 'merge-slashes', 'strip-parameters'] as const;
export type PathForm = (typeof PATH_FORMS)[number];

export interface GateStatement extends Named {
  readonly kind: 'gate';
  readonly direction: 'inbound' | 'outbound';
  /** Of an inbound gate: the hosts it protects. */
  readonly hosts: readonly Value[];
  /** Of an outbound gate: the clients that go out through it. */
  readonly clients: readonly Value[];
  readonly clientFrom?: { readonly header: string; readonly trusting: readonly Value[] };
  /** How the server behind the gate reads paths, in the order of `PATH_FORMS`. */
  readonly pathForms: readonly PathForm[];
  readonly inspection?: Inspection;
  readonly fences: readonly Reference[];
  readonly otherwise: Ending;
}

/** Whether encrypted requests are looked into; the first rule whose condition is true decides. */
export interface Inspection {
  readonly rules: readonly { readonly isInspected: boolean; readonly condition: Condition }[];
  readonly otherwise: boolean;
}

export interface FenceStatement extends Named {
  readonly kind: 'fence';
  readonly mode: 'trial' | 'enforce';
  readonly title?: string;
  readonly rules: readonly Rule[];
  readonly otherwise: Ending | { readonly kind: 'continue' };
}

/** What happens where no rule ended: at a gate or at the end of a fence. */
export type Ending = { readonly kind: 'allow' } | BlockAction | RedirectAction;

export const RULE_STATES = ['on', 'trial', 'off'] as const;
export type RuleState = (typeof RULE_STATES)[number];

export interface Rule extends Named {
  readonly title?: string;
  readonly state: RuleState;
  readonly action: Action;
  readonly condition: Condition;
  /** The rule is live only in these hours, or only outside them. */
  readonly hours?: { readonly isOutside: boolean; readonly schedule: Reference };
  readonly until?: Until;
  /** It also matches where its condition is unknown. */
  readonly matchesUnknown: boolean;
  readonly owner?: string;
  readonly reason?: string;
}

/** A date, which is included, or an instant, which is not. */
export type Until =
  { readonly kind: 'date'; readonly date: string } | { readonly kind: 'instant'; readonly atUnixMs: number };

export const ACTIONS = [
  'allow',
  'block',
  'redirect',
  'warn',
  'passphrase',
  'challenge',
  'limit',
  'throttle',
  'tag',
  'observe',
] as const;

export type Action =
  | { readonly kind: 'allow'; readonly isOutright: boolean }
  | BlockAction
  | RedirectAction
  | PersonAction
  | LimitAction
  | ThrottleAction
  | { readonly kind: 'tag'; readonly tags: readonly string[] }
  | { readonly kind: 'observe' };

/** What the evaluators, the compiler and the editors know of an action. */
export interface ActionTraits {
  /** Whether a match ends the fence: always, if earlier requests make it so, or never. */
  readonly effect: 'always' | 'stateful' | 'none';
  /** The user has to do something, and may then continue for a while. */
  readonly isPersonal?: boolean;
  /** Never ends a fence, and keeps something of each request all the same. */
  readonly isMetering?: boolean;
}

/** An action that is added to the union does not compile until it is here, and in each of the switches over actions. */
export const ACTION_TRAITS: Record<Action['kind'], ActionTraits> = {
  allow: { effect: 'always' },
  block: { effect: 'always' },
  redirect: { effect: 'always' },
  warn: { effect: 'stateful', isPersonal: true },
  passphrase: { effect: 'stateful', isPersonal: true },
  challenge: { effect: 'stateful', isPersonal: true },
  limit: { effect: 'stateful' },
  throttle: { effect: 'none', isMetering: true },
  tag: { effect: 'none' },
  observe: { effect: 'none' },
};

/** Whether what an action does depends on earlier requests. */
export function isStatefulAction({ kind }: Action): boolean {
  return ACTION_TRAITS[kind].effect === 'stateful';
}

/** Whether a match can decide about a request, or end a fence. */
export function canDecide({ kind }: Action): boolean {
  return ACTION_TRAITS[kind].effect !== 'none';
}

/** Whether a match changes nothing for a client. */
export function isNeutral(action: Action): boolean {
  return !canDecide(action) && !keepsState(action);
}

/** Whether an action keeps something of a request for later ones. */
export function keepsState(action: Action): boolean {
  return isStatefulAction(action) || ACTION_TRAITS[action.kind].isMetering === true;
}

export function isPersonAction(action: Action): action is PersonAction {
  return ACTION_TRAITS[action.kind].isPersonal === true;
}

export interface BlockAction {
  readonly kind: 'block';
  readonly status: number;
  readonly page?: Reference;
}

export interface RedirectAction {
  readonly kind: 'redirect';
  readonly url: string;
  readonly status: number;
}

/** A person has to do something, and may then go on for a while. */
export interface PersonAction {
  readonly kind: 'warn' | 'passphrase' | 'challenge';
  /** Of `passphrase`: the name under which the service keeps it. */
  readonly secret?: string;
  readonly page?: Reference;
  readonly holdMs: number;
}

export interface LimitAction {
  readonly kind: 'limit';
  readonly count: number;
  readonly windowMs: number;
  /** Empty counts everyone together. */
  readonly keys: readonly LimitKey[];
  readonly isAcrossGates: boolean;
  readonly then: BlockAction | RedirectAction;
  readonly holdMs?: number;
}

/** Bytes pass at a rate; those beyond it would have waited. */
export interface ThrottleAction {
  readonly kind: 'throttle';
  readonly bytesPerSecond: number;
  /** Bytes to the client, or from it. */
  readonly direction: 'down' | 'up';
  /** Empty meters everyone together. */
  readonly keys: readonly LimitKey[];
  readonly isAcrossGates: boolean;
  /** How many bytes may pass at once after a pause. */
  readonly burstBytes: number;
}

/** The level of a throttle is kept in thousandths of a byte, as a safe whole number. */
export const MAX_THROTTLE_BYTES = Math.floor(Number.MAX_SAFE_INTEGER / 1000);

/** What requests are counted by. */
export type LimitKey =
  | { readonly kind: 'client'; readonly bits4: number; readonly bits6: number }
  | { readonly kind: 'field'; readonly field: FieldName; readonly parameter?: string };

export const DEFAULT_BLOCK_STATUS = 403;
export const DEFAULT_LIMIT_STATUS = 429;
export const DEFAULT_REDIRECT_STATUS = 302;
export const DEFAULT_HOLD_MS = 30 * 60_000;
/** How `client` counts: an IPv4 address, an IPv6 /64. */
export const DEFAULT_CLIENT_BITS = { bits4: 32, bits6: 64 } as const;

/** A request and what must come out of it. */
export interface ExpectStatement extends Located {
  readonly kind: 'expect';
  readonly outcome: Outcome;
  readonly by?: { readonly fence: string; readonly rule: string; readonly place: SourceLocation };
  /** How many such requests pass within a span before the next is limited. */
  readonly after?: { readonly count: number; readonly windowMs: number };
  readonly client: AddressRange;
  readonly url: string;
  readonly with: readonly ExpectField[];
  readonly atUnixMs?: number;
  readonly because?: string;
}

export interface ExpectField {
  readonly field: FieldName;
  readonly parameter?: string;
  readonly value: string;
}

export type Condition =
  | { readonly kind: 'always' }
  | { readonly kind: 'and' | 'or'; readonly parts: readonly Condition[] }
  | { readonly kind: 'not'; readonly part: Condition }
  | Comparison;

export interface Comparison {
  readonly kind: 'comparison';
  readonly field: FieldName | FilterFieldName;
  /** The name in `header "name"`, `cookie "name"` and `query "name"`; header names are lower-case. */
  readonly parameter?: string;
  readonly operator: Operator;
  /** `!=`, `not in` and `absent` negate `=`, `in` and `present`. */
  readonly isNegated: boolean;
  /** ASCII letters are compared without their case. */
  readonly isAnyCase: boolean;
  readonly values: readonly Value[];
  readonly place: SourceLocation;
}

/** One value of a comparison or entry of a list, in its normal form. */
export type Value = {
  readonly place: SourceLocation;
  /** Of an entry of a list: the comments above it and behind it. */
  readonly comments?: readonly string[];
} &
  /** @param hadHostBits bits behind the prefix were set in the text */
  (
    | { readonly kind: 'addresses'; readonly range: AddressRange; readonly hadHostBits?: true }
    | { readonly kind: 'country'; readonly code: string }
    | { readonly kind: 'domain'; readonly entry: DomainEntry }
    /** A host and all below it, with a path and all below it by whole segments. */
    | { readonly kind: 'url'; readonly host: string; readonly path: string }
    | { readonly kind: 'text'; readonly text: string }
    /** A category or application, or a list of them where one has that name. */
    | { readonly kind: 'word'; readonly name: string }
    /** A whole number, or all from `first` to `last`, both included. Of a time: milliseconds since the epoch. */
    | { readonly kind: 'number'; readonly first: number; readonly last: number }
    /** Hours of every day, as minutes of the day; the end is not included, and one below the start lies on the next day. */
    | { readonly kind: 'hours'; readonly fromMinute: number; readonly toMinute: number }
    /** Bytes as lower-case hexadecimal digits. */
    | { readonly kind: 'bytes'; readonly hex: string }
    | { readonly kind: 'list'; readonly name: string }
  );

/** Keywords, which cannot be names or bare values. */
export const RESERVED_WORDS: ReadonlySet<string> = new Set(
  'and or not in except otherwise when always during outside until then for by with if across from to at'.split(' '),
);
/** What the name of anything looks like. */
export const NAME = /^[a-z][a-z0-9-]{0,62}$/;
