export { type Decision, isStop, type Ruling } from './decision.js';
export { viewDecided } from './gate.js';
export { decide, type EvaluationContext, HELD_BEHAVIOURS, type HeldBehaviour } from './interpreter.js';
export { State, type StoredState } from './state.js';
export { type ReferenceData, siteOf } from './view.js';
