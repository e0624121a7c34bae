export { describeMissingHost, detectFormat, type Detection, type FormatFit } from './detect.js';
export { restoreLine } from './import/line-encoding.js';
export { mergeByTime } from './merge.js';
export { parseMapping } from './naming/naming.js';
export { ncsaShapeOf } from './import/ncsa-fields.js';
export { LogOptionsError, type ReaderOptions } from './lines/reader-options.js';
export { LOG_FORMATS, type LogFormat, type ReadLine } from './lines/line-parser.js';
export { LogReader } from './reader.js';
