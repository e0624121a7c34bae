export { suggestNearest } from './nearest-name.js';
