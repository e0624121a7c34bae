export { detectFormat, type Detection, type FormatFit } from './detect.js';
export { restoreLine } from './line-encoding.js';
export { mergeByTime } from './merge.js';
export { parseMapping } from './naming.js';
export { ncsaShapeOf } from './ncsa-fields.js';
export { LogOptionsError, type ReaderOptions } from './reader-options.js';
export { LOG_FORMATS, type LogFormat, LogReader, type ReadLine } from './reader.js';
