/** Pages that stopped clients are shown: HTML with a few placeholders, and nothing that runs. */

/** Written `{{name}}`; values are escaped where they are put in. */
export const PLACEHOLDERS = ['request-id', 'time', 'host', 'client', 'rule', 'contact', 'reason'] as const;
export type Placeholder = (typeof PLACEHOLDERS)[number];
export type PageValues = Readonly<Record<Placeholder, string>>;

/** What a browser may load for a page: its own styles and pictures, and nothing else (Content Security Policy 3). */
export const PAGE_POLICY =
  "default-src 'none'; style-src 'unsafe-inline'; img-src data:; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";

export const MAX_PAGE_BYTES = 262_144;
/** Of each kind so many are reported. */
const MAX_PROBLEMS = 100;

/** Something of a page that cannot be used. */
export interface PageProblem {
  /** 1-based line of the file. */
  readonly line: number;
  readonly message: string;
  /** The fix, as a full sentence. */
  readonly hint: string;
}

/** Each takes time that grows with the text alone; what they miss the policy stops. */
const FORBIDDEN: readonly { readonly pattern: RegExp; readonly what: string }[] = [
  { pattern: /<\s{0,9}(script|iframe|frame|object|embed|applet|base|link|portal)\b/gi, what: 'an element' },
  { pattern: /\b(http-equiv)\s{0,9}=/gi, what: 'an attribute' },
  { pattern: /[\s/"'](on[a-z]{2,30})\s{0,9}=/gi, what: 'an event handler' },
  { pattern: /\b(javascript|vbscript)\s{0,9}:/gi, what: 'a URL with script' },
  { pattern: /[\s/"'](src|srcset|poster)\s{0,9}=\s{0,9}["']?(?!data:)[^"'\s>]/gi, what: 'a file from elsewhere' },
];
/** The name is trimmed. */
const PLACEHOLDER = /\{\{([^{}]{0,200})\}\}/g;

/** Everything of a page that cannot be used, in the order of its lines. */
export function checkPage(text: string): PageProblem[] {
  const bytes = new TextEncoder().encode(text).length;
  if (bytes > MAX_PAGE_BYTES)
    return [
      {
        line: 1,
        message: `The page has ${bytes.toLocaleString('en')} bytes; at most ${MAX_PAGE_BYTES.toLocaleString('en')} are possible.`,
        hint: 'Leave out pictures, or make them smaller.',
      },
    ];
  const known: readonly string[] = PLACEHOLDERS;
  const placeholders = [...text.matchAll(PLACEHOLDER)]
    .map(({ index, 1: name }) => ({ index, name: name!.trim() }))
    .filter(({ name }) => !known.includes(name))
    .slice(0, MAX_PROBLEMS)
    .map(({ index, name }) => ({
      line: lineAt(text, index),
      message: `Unknown placeholder "{{${name.slice(0, 40)}}}".`,
      hint: `Expected one of ${PLACEHOLDERS.map((placeholder) => `{{${placeholder}}}`).join(', ')}.`,
    }));
  const forbidden = FORBIDDEN.flatMap(({ pattern, what }) =>
    [...text.matchAll(pattern)].slice(0, MAX_PROBLEMS).map(({ index, 1: name }) => ({
      line: lineAt(text, index),
      message: `The page has ${what} that pages may not have: ${name!.toLowerCase()}.`,
      hint: 'Pages show text, their own styles and pictures as data: URLs; nothing in them runs or loads.',
    })),
  );
  return [...placeholders, ...forbidden].sort((a, b) => a.line - b.line);
}

function lineAt(text: string, index: number): number {
  return text.slice(0, index).split('\n').length;
}

/** A page with its values, each escaped; an unknown placeholder stays as it is. */
export function renderPage(text: string, values: PageValues): string {
  return text.replace(PLACEHOLDER, (written, spaced: string) => {
    const name = spaced.trim();
    return Object.hasOwn(values, name) ? escapeHtml(values[name as Placeholder]) : written;
  });
}

/** As text of an element or a quoted attribute. */
function escapeHtml(text: string): string {
  return text.replace(/[&<>"'`=]/g, (character) => `&#${character.charCodeAt(0)};`);
}

/** A page with its policy, so that it is as strict where it is opened from a file. */
export function withPolicy(html: string): string {
  const policy = `<meta http-equiv="content-security-policy" content="${PAGE_POLICY.replace(/; frame-ancestors [^;]*/, '')}">`;
  const head = /<head[^>]*>/i.exec(html);
  if (head) return `${html.slice(0, head.index + head[0].length)}${policy}${html.slice(head.index + head[0].length)}`;
  const doctype = /^\s*<!doctype[^>]*>/i.exec(html)?.[0] ?? '';
  return `${doctype}${policy}${html.slice(doctype.length)}`;
}
