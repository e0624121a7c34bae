import type { Comparison, Condition, Statement } from './tree.js';

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
