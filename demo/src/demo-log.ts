import type { LogOptions } from './inbound-log.js';

/** The day that `npm run demo` loads. */
export const DEMO_LOG: LogOptions = { requests: 54_600, seed: 20261012 };
