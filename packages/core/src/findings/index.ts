export { type ApplicationRequest, requestOfApplication } from './application-request.js';
export {
  type ExampleRequest,
  type Finding,
  FINDING_IDS,
  FINDING_LEVELS,
  type FindingId,
  type FindingLevel,
  type Review,
} from './finding.js';
export { FINDING_ENTRIES } from './entries.js';
export { ORDER_BOUNDS, QUICK_BOUNDS, type Undecided } from './order.js';
export { undecidedText } from './undecided.js';
export { reviewFences } from './broken.js';
export { findErrors, reviewRules } from './review.js';
export { type ChangedRequests, describeMeaning, fateText, type MeaningChanges } from './meaning-text.js';
export type { RuleState } from './rule-changes.js';
export { findPlacement, type Placement } from './placement.js';
