export { type Configuration, EditError } from './configuration.js';
export {
  compareConfigurations,
  describeChange,
  type DescribedChange,
  diffTexts,
  summarizeChange,
} from './describe-change.js';
export { applyEdits, type Edit, EDIT_KINDS, freeName, type Position, type RuleSettings } from './edit.js';
export { listPages, type PageFile } from './page-files.js';
export { fieldsOf, type GateFields, NEW_GATE, readGate, writeGate } from './gate-text.js';
export {
  type EntryReport,
  type ListContents,
  type ListEntry,
  type ListLookup,
  lookupInList,
  lookupInLists,
  showList,
} from './list-entries.js';
export { findEntryOrigins, findListFile, type ListVersion } from './entry-origins.js';
export { FIELD_INFOS, type FieldInfo, parseConditionText, parseRuleText, printRuleText } from './rule-text.js';
export { STARTING_POINTS, type StartingPoint } from './starting-points.js';
export { applyStep, recordStep, type Step, type StepDirection } from './step.js';
export {
  type ClientStop,
  readClient,
  releaseClientEdits,
  STOPPED_CLIENTS,
  stopClientEdits,
  type StoppedClient,
  stoppedClients,
} from './stopped-clients.js';
export { datasetNamesOf, findUses, passphrasesOf } from './uses.js';
