export { type Finding, FINDING_IDS, FINDING_LEVELS, type FindingId, type FindingLevel } from './finding.js';
export { reviewRules } from './review.js';
