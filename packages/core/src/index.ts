export {
  formatAddress,
  parseAddress,
  parseNetwork,
  formatRange,
  type Address,
  type AddressRange,
  type Family,
} from './request/address.js';
export { type Field } from './request/field.js';
export { invariant } from './request/invariant.js';
export {
  REJECT_REASONS,
  type Attributes,
  type AttributeValue,
  type LogRecord,
  type RejectedLine,
  type RejectReason,
} from './request/record.js';
export { normalizeRequest, type Request } from './request/request.js';
export {
  createCountryTable,
  describeCountryAnswer,
  encodeCountryTable,
  formatAddressCount,
  measureCountryTable,
  type CountryAnswer,
  type CountryRange,
  type CountryShare,
  type CountryTable,
} from './reference/country-table.js';
export {
  parseCountryRows,
  parseCountryTexts,
  type CountryText,
  type CountryRowProblem,
  type CountryRows,
} from './reference/country-rows.js';
export { REGIONS, type Region } from './reference/regions.js';
export { isCountryCode, listCountries, nameCountry } from './reference/country-codes.js';
export { DamagedTableError } from './binary/damaged.js';
export { Dataset, DATASET_KINDS, type DatasetKind } from './reference/dataset.js';
export { DatasetReader } from './language/dataset-lines.js';
export { type LineProblem, type LinesReport } from './reference/text-lines.js';
export {
  formatDiagnostic,
  suggestNearest,
  DIAGNOSTIC_CODES,
  type Diagnostic,
  type DiagnosticCode,
  type SourceLocation,
} from './language/diagnostic.js';
export { LIST_KINDS, type ListKind } from './language/fields.js';
export { parseFences } from './language/parser.js';
export { printFences } from './language/printer.js';
export { printRule } from './language/fence-text.js';
export { describeStatement } from './language/statement-sentence.js';
export {
  countEntries,
  describeAction,
  describeCondition,
  describeEnding,
  describeRule,
  type ListSizes,
} from './language/sentence.js';
export {
  STATEMENTS,
  type ApplicationStatement,
  type FenceFile,
  type FenceStatement,
  type GateStatement,
  type ListStatement,
  type Rule,
  type Statement,
  type StatementKind,
  type WeeklyHours,
} from './language/tree.js';
export {
  checkFences,
  namedFilesOf,
  type CheckedFences,
  type ExternalNames,
  type SourceFile,
} from './check/check-fences.js';
export { type ResolvedList } from './check/members.js';
export { type CheckedGate, type Rulebook } from './check/rulebook.js';
export { OUTCOMES, type Outcome } from './language/outcomes.js';
export { type Decision, type Ruling, type Would } from './decide/decision.js';
export { viewDecided } from './decide/gate.js';
export { decide, HELD_BEHAVIOURS, type EvaluationContext, type HeldBehaviour } from './decide/interpreter.js';
export { State, type StoredState } from './decide/state.js';
export {
  explainRequest,
  type ComparisonStep,
  type Explanation,
  type FenceStep,
  type RuleStep,
  type Shown,
} from './explain/explain.js';
export { describeTarget, describeSeen } from './explain/describe-target.js';
export { renderExplanation } from './explain/render-text.js';
export { findAddressUses, type AddressUses } from './explain/address-uses.js';
export { identifyApplications, type Identified } from './explain/identify.js';
export { CountryCounter } from './replay/country-counter.js';
export { siteOf } from './decide/view.js';
export { PROTOCOLS } from './request/protocols.js';
export { BUILT_IN_APPLICATIONS } from './check/built-in-applications.js';
export { printCondition } from './language/condition-text.js';
export { printStatement } from './language/printer.js';
export { ChunkRows, COMMON_COLUMNS, TIME_COLUMN, type Row } from './columns/chunk.js';
export { SegmentDictionaries } from './columns/segment-dictionaries.js';
export { restoreLine } from './logs/line-encoding.js';
export { mergeByTime } from './logs/merge.js';
export { DamagedColumnError } from './columns/column.js';
export { crc32 } from './binary/checksum.js';
export { fromZigzag, LebWriter, LebReader, toZigzag } from './binary/leb.js';
export { detectFormat, type Detection, type FormatFit } from './logs/detect.js';
export { LOG_FORMATS, LogReader, MAPPED_FORMATS, type LogFormat, type ReadLine } from './logs/reader.js';
export { ChunkBuilder, LogOptionsError, type EncodedChunk, type ParsedLines } from './build-chunks.js';
export { LogImporter, LogParser } from './parse-logs.js';
export { ncsaShapeOf } from './logs/ncsa-fields.js';
export { type Mapping, type ReaderOptions } from './logs/reader-options.js';
export { parseMapping } from './logs/naming.js';
export { toDecidedRecord, type DecidedRecord } from './replay/decided-record.js';
export {
  ChunkReplay,
  isInSpan,
  judgeSpan,
  NOT_JUDGED,
  type RowSequence,
  type TimeSpan,
} from './replay/replay-chunk.js';
export { Breakdown } from './replay/breakdown.js';
export {
  DecisionComparison,
  describeDecider,
  type ComparisonGroup,
  type ComparisonTally,
  type Side,
} from './replay/comparison.js';
export { RulingTable } from './replay/ruling-table.js';
export { Matcher } from './match/run/matcher.js';
export { Program } from './match/compile/program.js';
export { DEFAULT_MAX_KEYS, CounterStore, TooManyKeysError } from './match/counters/counter-store.js';
export { resolveCondition, countMatches, countsInOrder, type Matches } from './replay/count-matches.js';
export { isRowByRow, DecisionFilter } from './replay/decision-filter.js';
export { MatchCounter } from './replay/match-counter.js';
export { redirectOf } from './explain/reasons.js';
export { FILE_ATTRIBUTE } from './request/record.js';
export { filesOfRows, isInTimeOrder, orderByTime, type Segment } from './replay/time-order.js';
export {
  addBreakdown,
  addDecision,
  addRejected,
  addTally,
  BREAKDOWNS,
  createTally,
  trimTally,
  type BreakdownName,
  type RuleTally,
  type Tally,
} from './replay/tally.js';
export {
  countWouldStop,
  summarize,
  summarizeBreakdowns,
  type BreakdownSummary,
  type FenceSummary,
  type RuleSummary,
  type Summary,
  type ValueSummary,
} from './replay/summary.js';
export { printCsvCell, printCsvHeader, printCsvRow } from './replay/csv.js';
export { coarsenTimeline, type Timeline } from './replay/timeline.js';
export { joinParts, splitIntoParts, type Part, type PartKind } from './language/parts.js';
export { printValue } from './language/value.js';
export { checkFilter, collectRuleLookups, readCondition, type Filter } from './check/check-filter.js';
export { mergeParts, type Change } from './language/changes.js';
export { normalizeHost } from './request/host.js';
export {
  buildSyntheticFlow,
  buildSyntheticRecord,
  type SyntheticFlow,
  type SyntheticField,
  type SyntheticRequestProblem,
  type SyntheticRequest,
} from './request/synthetic-request.js';
export { filterChunk } from './replay/filter-decisions.js';
export { SurveyBuilder, type Survey } from './survey/survey.js';
export { type Starter, type StarterRule } from './survey/starter-rules.js';
export {
  createCategories,
  type Categories,
  type CategoryAnswer,
  type CategoryEntry,
  type CategoryFeed,
} from './reference/categories.js';
export { CategoryFeedReader, parseCategoryFeed, parseSite, type FeedReport } from './reference/category-lines.js';
export { HostTable } from './reference/host-table.js';
export { RangeTable } from './reference/range-table.js';
export { printJunit } from './expectations/junit.js';
export { runExpectations, type ExpectationResult } from './expectations/run-expectations.js';
export { EditError, type Configuration } from './edit/configuration.js';
export { compareConfigurations, describeChange, diffTexts, type DescribedChange } from './edit/describe-change.js';
export {
  applyEdits,
  EDIT_KINDS,
  freeName,
  type Edit,
  type Edited,
  type Position,
  type RuleSettings,
} from './edit/edit.js';
export {
  lookupInList,
  showList,
  type EntryReport,
  type ListContents,
  type ListEntry,
  type ListLookup,
} from './edit/list-entries.js';
export { STARTING_POINTS, type StartingPoint } from './edit/starting-points.js';
export { datasetNamesOf, findUses, passphrasesOf } from './edit/uses.js';
export { FIELD_INFOS, parseConditionText, parseRuleText, printRuleText, type FieldInfo } from './edit/rule-text.js';
export {
  ACTIONS,
  NAME,
  RULE_STATES,
  type Action,
  type Comparison,
  type Condition,
  type Value,
} from './language/tree.js';
export { printAction } from './language/action-text.js';
