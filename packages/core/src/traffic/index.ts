export { isOnTrial, TrialCounter } from './readiness.js';
export { assessReadiness, type Readiness, type ReadinessClient, type ReadinessVerdict } from './readiness-verdict.js';
export { type ValueField, RequestValues } from './request-values.js';
