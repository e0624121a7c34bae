export { type Categories, type CategoryEntry, type CategoryFeed, createCategories } from './categories.js';
export { CategoryFeedReader, type FeedReport, parseCategoryFeed, parseSite } from './category-lines.js';
export { isCountryCode, listCountries, nameCountry } from './country-codes.js';
export { type CountryRows, type CountryText, parseCountryRows, parseCountryTexts } from './country-rows.js';
export {
  type CountryRange,
  type CountryShare,
  type CountryTable,
  createCountryTable,
  describeCountryAnswer,
  encodeCountryTable,
  formatAddressCount,
  measureCountryTable,
} from './country-table.js';
export { Dataset, DATASET_KINDS, type DatasetKind } from './dataset.js';
export { HostTable } from './host-table.js';
export { RangeTable } from './range-table.js';
export { REGIONS } from './regions.js';
export { type LineProblem, type LinesReport } from './text-lines.js';
