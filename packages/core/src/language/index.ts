export { printAction, printEnding, printKey } from './action-text.js';
export { type Change, mergeParts } from './changes.js';
export { printCondition } from './condition-text.js';
export { DatasetReader } from './dataset-lines.js';
export { type Diagnostic, DIAGNOSTIC_CODES, type DiagnosticCode, formatDiagnostic } from './diagnostic.js';
export { printRule } from './fence-text.js';
export {
  EXPECT_FIELDS,
  FIELDS_WITH_PARAMETER,
  FILTER_FIELDS,
  INSPECTION_FIELDS,
  KEY_FIELDS,
  LIST_KINDS,
  type ListKind,
} from './fields.js';
export { listMentions } from './mentions.js';
export { parseDuration, printBytes, printDuration } from './measure.js';
export { type Outcome, OUTCOMES } from './outcomes.js';
export { parseFences } from './parser.js';
export { joinParts, type Part, type PartKind, splitIntoParts } from './parts.js';
export { printFences, printStatement } from './printer.js';
export {
  countEntries,
  describeAction,
  describeCondition,
  describeEnding,
  describeRule,
  type ListSizes,
} from './sentence.js';
export { describeStatement } from './statement-sentence.js';
export {
  type Action,
  ACTIONS,
  type ApplicationStatement,
  type Comparison,
  type Condition,
  DEFAULT_BLOCK_STATUS,
  DEFAULT_HOLD_MS,
  DEFAULT_LIMIT_STATUS,
  DEFAULT_REDIRECT_STATUS,
  type FenceFile,
  type FenceStatement,
  type ListStatement,
  NAME,
  type Rule,
  RULE_STATES,
  type GateStatement,
  type Inspection,
  PATH_FORMS,
  type PathForm,
  type Statement,
  type StatementKind,
  STATEMENTS,
  type WeeklyHours,
} from './tree.js';
export { printValue } from './value.js';
export { printField } from './condition-text.js';
export { visitComparisons } from './visit.js';
