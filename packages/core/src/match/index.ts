export { Program } from './compile/program.js';
export { CounterStore, DEFAULT_MAX_KEYS, TooManyKeysError } from './counters/counter-store.js';
export { Matcher } from './run/matcher.js';
