import type { FenceStatement, GateStatement } from '../language/tree.js';
import type { Members, MembersOf, ResolvedList } from './members.js';

/** Fences that have been checked: every name stands for something, and every set of values can be asked. */
export interface Rulebook {
  /** In the order of definition, which breaks ties between gates. */
  readonly gates: readonly CheckedGate[];
  /** Every fence, also those at no gate, in the order of definition. */
  readonly fences: readonly FenceStatement[];
  readonly lists: ReadonlyMap<string, ResolvedList>;
  readonly membersOf: MembersOf;
}

export interface CheckedGate {
  readonly statement: GateStatement;
  readonly hosts: Members;
  /** The stack, in order. */
  readonly fences: readonly FenceStatement[];
}
