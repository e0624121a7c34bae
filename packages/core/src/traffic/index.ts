export { isOnTrial, type TrialCounter } from './readiness.js';
export { assessReadiness, type Readiness, type ReadinessClient, type ReadinessVerdict } from './readiness-verdict.js';
export { type ValueField, RequestValues } from './request-values.js';
export {
  TRAFFIC_FINDING_ENTRIES,
  TRAFFIC_FINDING_IDS,
  type TrafficFinding,
  type TrafficFindingId,
} from './traffic-finding.js';
export { countTrial, reviewTraffic } from './review-traffic.js';
export {
  type DecidedChunk,
  type DecidedLog,
  type DecidedSegment,
  headerNames,
  type RowsByChunk,
} from './decided-log.js';
export { type SuggestedRules, suggestRules } from './suggest-rules.js';
export type { Suggestion, Suggestions } from './verify-proposals.js';
export { type UsedRule, useOfRules } from './rule-use.js';
