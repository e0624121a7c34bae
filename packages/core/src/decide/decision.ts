import type { Outcome } from '../language/outcomes.js';
import type { Address } from '../request/address.js';
import type { Field } from '../request/field.js';

/** All outcomes but allowed and uncovered stop the request. */
export function isStop(outcome: Outcome): boolean {
  return outcome !== 'allowed' && outcome !== 'uncovered';
}

/** What something in trial would have done. */
export interface Would {
  readonly fence: string;
  /** Absent where the fence's `otherwise` ended it. */
  readonly rule?: string;
  readonly outcome: Outcome;
}

/** The part of a decision that the rules determine; a replay keeps each distinct one once. */
export interface Ruling {
  readonly outcome: Outcome;
  /** Absent for `uncovered`. */
  readonly gate?: string;
  readonly fence?: string;
  /** Absent where an `otherwise` decided. */
  readonly rule?: string;
  /** What a stopped client is answered. */
  readonly status?: number;
  /** Of `held`: what the person has to do first. */
  readonly reason?: HeldReason;
  readonly would: readonly Would[];
  /** Tags set by acting rules, in the order they were set. */
  readonly tags: readonly string[];
  /** Rules whose condition could not be known, as `fence/rule`. */
  readonly blind: readonly string[];
  /** Rules that matched, as `fence/rule`, trial ones included. */
  readonly matched: readonly string[];
  /** Rules whose throttle delays the request, in their order; absent where none does. */
  readonly throttled?: readonly Throttled[];
  /** An address header was present, but the peer is not trusted to name the client. */
  readonly isHeaderIgnored?: boolean;
}

/** A rule that delays a request. */
export interface Throttled {
  readonly fence: string;
  readonly rule: string;
  /** It is in trial, or its fence is. */
  readonly isTrial?: true;
}

export type HeldReason = 'warning' | 'passphrase' | 'challenge';

/** The ruling on one request, with the facts found on the way. */
export interface Decision extends Ruling {
  readonly client: Field<Address>;
  readonly country: Field<string>;
  /** By rule of `throttled`, how long the bytes of the request would have waited; milliseconds above 0. */
  readonly waitsMs?: readonly number[];
}

/** How a rule is written in decisions: `fence/rule`. */
export function ruleId(fence: string, rule: string): string {
  return `${fence}/${rule}`;
}
