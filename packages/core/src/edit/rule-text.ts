/** A rule or a condition on its own, as an editor holds it: text in one hand, tree in the other. */
import { operatorWordsOf, RULE_FIELDS } from '../language/condition-text.js';
import type { Diagnostic } from '../language/diagnostic.js';
import { printRule } from '../language/fence-text.js';
import {
  FIELDS_WITH_PARAMETER,
  kindOf,
  LIST_KIND_OF,
  wordsOf,
  type FieldName,
  type ListKind,
} from '../language/fields.js';
import { parseFences, parseFilter } from '../language/parser.js';
import type { Condition, Rule } from '../language/tree.js';

/** Reads one rule; locations are those in this text. The rule is present if it could be read, whatever else is wrong. */
export function parseRuleText(text: string): { rule?: Rule; diagnostics: readonly Diagnostic[] } {
  const { file, diagnostics } = parseFences(`fence f enforce {\n${text}\n}`, 'rule');
  const [fence] = file.statements;
  const rules = fence?.kind === 'fence' ? fence.rules : [];
  const numLines = text.split('\n').length;
  const shifted = diagnostics.map((diagnostic) => ({
    ...diagnostic,
    place: { ...diagnostic.place, line: Math.min(numLines, Math.max(1, diagnostic.place.line - 1)) },
  }));
  return rules.length === 1 ? { rule: rules[0]!, diagnostics: shifted } : { diagnostics: shifted };
}

/** The canonical text of a rule, not indented. */
export function printRuleText(rule: Rule): string {
  return printRule(rule).replace(/^ {2}/gm, '');
}

/** Reads one condition such as a comparison. */
export function parseConditionText(text: string): { condition?: Condition; diagnostics: readonly Diagnostic[] } {
  const { condition, diagnostics } = parseFilter(text, 'condition');
  return diagnostics.length === 0 && condition ? { condition, diagnostics } : { diagnostics };
}

/** A field that rules can test, for pickers and completion. */
export interface FieldInfo {
  readonly field: FieldName;
  /** Whether a quoted name follows it. */
  readonly takesName: boolean;
  readonly operators: readonly string[];
  /** The kind of list that its values may name. */
  readonly listKind?: ListKind;
  /** Its only values, where there are few. */
  readonly words?: readonly string[];
}

export const FIELD_INFOS: readonly FieldInfo[] = (RULE_FIELDS as FieldName[]).map((field) => {
  const listKind = LIST_KIND_OF[kindOf(field)];
  const words = wordsOf(field);
  return {
    field,
    takesName: FIELDS_WITH_PARAMETER.includes(field),
    operators: operatorWordsOf(field),
    ...(listKind ? { listKind } : {}),
    ...(words ? { words } : {}),
  };
});
