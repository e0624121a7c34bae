export { Breakdown } from './breakdown.js';
export {
  type ComparisonGroup,
  type ComparisonTally,
  DecisionComparison,
  describeDecider,
  type Side,
} from './comparison.js';
export { countMatches, countsInOrder, type Matches, resolveRule } from './count-matches.js';
export { CountryCounter } from './country-counter.js';
export { type DecidedRecord, toDecidedRecord } from './decided-record.js';
export { DecisionFilter, isRowByRow } from './decision-filter.js';
export { filterChunk } from './filter-decisions.js';
export { addGatePreviews, type GateCounts, GatePreviewCounter } from './gate-preview.js';
export { comparesMasked, filterMasked } from './masked-filter.js';
export { MatchCounter } from './match-counter.js';
export {
  RECORDED_STOPS,
  RecordedComparison,
  type RecordedGroup,
  recordedKey,
  type RecordedOutcome,
  type RecordedTally,
} from './recorded.js';
export {
  ChunkReplay,
  judgeSpan,
  type JudgedRows,
  NOT_JUDGED,
  type RowSequence,
  type TimeSpan,
} from './replay-chunk.js';
export { type Delays, flattenDelays, forEachDelayed, openDelays } from './delays.js';
export { RulingTable } from './ruling-table.js';
export {
  type BreakdownSummary,
  countWouldStop,
  type FenceSummary,
  type RuleSummary,
  summarize,
  summarizeBreakdowns,
  type Summary,
  type ValueSummary,
} from './summary.js';
export {
  coarsenThrottle,
  formatBytes,
  formatWait,
  type ThrottleStep,
  type ThrottleSummary,
} from './throttle-summary.js';
export {
  addBreakdown,
  addDecision,
  addRejected,
  addTally,
  addThrottles,
  type BreakdownName,
  BREAKDOWNS,
  createTally,
  type Tally,
  trimTally,
} from './tally.js';
export { addSections, SectionCounter, type SiteSections } from './site-sections.js';
export { filesOfRows, isInTimeOrder, orderByTime, type Segment } from './time-order.js';
export { coarsenTimeline } from './timeline.js';
