export { DEFAULT_PAGES, type DefaultPage, defaultPageOf, defaultPageText } from './default-pages.js';
export {
  checkPage,
  MAX_PAGE_BYTES,
  PAGE_POLICY,
  type PageProblem,
  type PageValues,
  type Placeholder,
  PLACEHOLDERS,
  renderPage,
  withPolicy,
} from './page-text.js';
