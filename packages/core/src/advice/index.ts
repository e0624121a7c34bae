export { adviseLimit, type AdviceWishes, type LimitAdvice } from './limit-advice.js';
export {
  ADVICE_PATH,
  type CountingRules,
  type LimitSubject,
  NoLimitError,
  type ProposedLimit,
  writeCountingRules,
} from './limit-rules.js';
export { type Peak, PeakCounters } from './peak-counters.js';
