export { isOnTrial, TrialCounter } from './readiness.js';
export { assessReadiness, type Readiness, type ReadinessClient, type ReadinessVerdict } from './readiness-verdict.js';
export { type ValueField, RequestValues } from './request-values.js';
export {
  TRAFFIC_FINDING_ENTRIES,
  TRAFFIC_FINDING_IDS,
  type TrafficFinding,
  type TrafficFindingId,
} from './traffic-finding.js';
export { findInTraffic } from './traffic-findings.js';
export { TrafficCounts } from './traffic-counts.js';
export { CHOSEN, OTHER, RuleSearch, SPARED } from './suggest.js';
export { ProposalCounter, type Suggestion, type Suggestions } from './verify-proposals.js';
export { type UsedRule, useOfRules } from './rule-use.js';
