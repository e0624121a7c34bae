import type { LogOptions } from './day.js';

/** The day at the inbound gates that `npm run demo` loads. */
export const DEMO_LOG: LogOptions = { requests: 54_600, seed: 20261012 };

/** The same day, at the edge proxies and in the library. */
export const DEMO_EDGE_LOG: LogOptions = { requests: 9_600, seed: 20261014 };

/** The same day, going out. */
export const DEMO_OUTBOUND_LOG: LogOptions = { requests: 39_400, seed: 20261013 };
