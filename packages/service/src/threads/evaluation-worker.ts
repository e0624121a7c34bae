/** Runs in a worker thread: the tasks that judge, filter, count and explain rows of a stored log, called by their names. */
export {
  countChunkCountries,
  countRows,
  countSections,
  countryAttributes,
  gatePreviewAttributes,
  matchAttributes,
  matchChunks,
  previewGate,
} from './evaluation/count-task.js';
export { explainRow } from './evaluation/explain-task.js';
export { filterAttributes, filterDecisions } from './evaluation/filter-task.js';
export { attributesRead, describeRows, judgeChunks } from './evaluation/judge-task.js';
