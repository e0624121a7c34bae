/** Read by Vitest before each file of tests. */
import fc from 'fast-check';

/** A property test ends by then with what it has run, so that a slow machine passes, too. Those that must run whole set more. */
const BUDGET_MS = 20_000;

fc.configureGlobal({ interruptAfterTimeLimit: BUDGET_MS, markInterruptAsFailure: false });
