export { BUILT_IN_APPLICATIONS } from './built-in-applications.js';
export {
  type CheckedFences,
  checkFences,
  checkTree,
  type ExternalNames,
  namedFilesOf,
  type SourceFile,
} from './check-fences.js';
export { checkFilter, collectRuleLookups, type Filter, readRule } from './check-filter.js';
export { type Rulebook } from './rulebook.js';
