import type { FieldName } from './fields.js';
import type { Action, Comparison, Condition, Statement } from './tree.js';

/** Calls `visit` for each comparison of a condition, in the order of the text. */
export function visitComparisons(condition: Condition, visit: (comparison: Comparison) => void): void {
  switch (condition.kind) {
    case 'always':
      return;
    case 'comparison':
      return visit(condition);
    case 'not':
      return visitComparisons(condition.part, visit);
    case 'and':
    case 'or':
      return condition.parts.forEach((part) => visitComparisons(part, visit));
  }
}

/** A field, and the name behind it where it has one. */
export interface ReadField {
  readonly field: FieldName;
  readonly parameter?: string;
}

/** What a limit or throttle counts by, and the bytes that a throttle meters: where one is unknown, the rule is blind. */
export function countedFields(action: Action): readonly ReadField[] {
  if (action.kind !== 'limit' && action.kind !== 'throttle') return [];
  const keys = action.keys.map((key): ReadField => (key.kind === 'client' ? { field: 'client' } : key));
  if (action.kind === 'limit') return keys;
  return [...keys, { field: action.direction === 'down' ? 'to-client' : 'from-client' }];
}

/** The conditions of a statement, in the order of the text. */
export function conditionsOf(statement: Statement): Condition[] {
  switch (statement.kind) {
    case 'fence':
      return statement.rules.map((rule) => rule.condition);
    case 'gate':
      return (statement.inspection?.rules ?? []).map((rule) => rule.condition);
    case 'application':
      return [...statement.signatures];
    default:
      return [];
  }
}
