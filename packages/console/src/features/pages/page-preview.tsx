import { renderPage, withPolicy, type PageValues } from '@jadefence/core/pages';

/** What placeholders are filled with where no request is at hand. */
const SAMPLE: PageValues = {
  'request-id': '7f3a-0192',
  'time': '2026-10-12T09:30:00.000Z',
  'host': 'www.example',
  'client': '198.51.100.7',
  'rule': 'Name of the rule',
  'contact': 'service desk',
  'reason': 'The reason that the rule has.',
};

/** A page as a client sees it, with sample values; nothing in it runs, loads or leads anywhere. */
export function PagePreview({ name, text }: { name: string; text: string }) {
  return <PageFrame name={name} html={withPolicy(renderPage(text, SAMPLE))} />;
}

/** @param html with values and policy */
export function PageFrame({ name, html }: { name: string; html: string }) {
  return <iframe title={`Preview of page ${name}`} sandbox="" srcDoc={html} className="h-72 w-full bg-white" />;
}
