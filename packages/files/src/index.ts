export { readApplicationCatalogue } from './application-catalogue.js';
export { decompress, MAX_DECOMPRESSED_BYTES, TooLargeFileError, UnreadableFileError } from './decompress.js';
export { readCountryFile, type CountryFile } from './country-file.js';
export { readCategoryFile } from './category-file.js';
export { readDatasetFile } from './dataset-file.js';
export { packFiles, packFolder } from './pack-folder.js';
export { importInThreads, importMerged, type Imported, type ImportTask, type LogFile } from './import-threads.js';
export { generateMaskKey, KeyedMasker } from './keyed-masker.js';
