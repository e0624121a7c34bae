/** What benchmarks and tests of other packages compare with: slow and obvious, read from the sources only. */
export { SequentialReplay } from './replay.js';
