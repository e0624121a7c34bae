import type { Rulebook } from '../check/rulebook.js';
import { defaultPageText } from '../pages/default-pages.js';
import { renderPage, withPolicy } from '../pages/page-text.js';
import type { Explanation, Shown } from './explain.js';

/** The page that the client of an explained request is shown, as HTML with its policy; undefined where none is. */
export function renderShownPage(
  { page, request, decision: { fence, rule }, atUnixMs }: Explanation,
  { pages, fences }: Rulebook,
): string | undefined {
  const text = page && ('name' in page ? pages.get(page.name) : defaultPageText(page.builtIn));
  if (text === undefined) return undefined;
  const decisive = fences.find(({ name }) => name === fence)?.rules.find(({ name }) => name === rule);
  const values = {
    'request-id': 'tried',
    'time': new Date(atUnixMs).toISOString(),
    'host': textOf(request.host),
    'client': textOf(request.client),
    'rule': decisive?.title ?? rule ?? fence ?? '',
    'contact': decisive?.owner ?? '',
    'reason': decisive?.reason ?? '',
  };
  return withPolicy(renderPage(text, values));
}

function textOf(shown: Shown): string {
  return shown.kind === 'known' ? shown.text : '';
}
