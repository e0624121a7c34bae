export {
  type ExampleRequest,
  type Finding,
  FINDING_IDS,
  FINDING_LEVELS,
  type FindingId,
  type FindingLevel,
  type Review,
} from './finding.js';
export type { Undecided } from './order.js';
export { reviewRules } from './review.js';
