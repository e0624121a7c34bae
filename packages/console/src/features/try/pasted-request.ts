/** What a pasted text contains of a request. */
export interface PastedRequest {
  readonly url: string;
  readonly method?: string;
  readonly headers: readonly { readonly name: string; readonly value: string }[];
}

/**
 * Reads a URL, a curl command line, or an entry of a HAR file (or a whole file, of which the first entry counts).
 * @throws Error where the text is none of them, with what was expected
 */
export function readPasted(text: string): PastedRequest {
  const trimmed = text.trim();
  if (trimmed.startsWith('{')) return readHar(trimmed);
  if (/^curl\s/.test(trimmed)) return readCurl(trimmed);
  if (/^\S+$/.test(trimmed) && trimmed !== '') return { url: trimmed, headers: [] };
  throw new Error('Expected a URL, a command line that begins with curl, or a HAR entry, which begins with {.');
}

interface HarRequest {
  readonly url?: unknown;
  readonly method?: unknown;
  readonly headers?: readonly { readonly name?: unknown; readonly value?: unknown }[];
}

function readHar(text: string): PastedRequest {
  let parsed: { log?: { entries?: { request?: HarRequest }[] }; request?: HarRequest } & HarRequest;
  try {
    parsed = JSON.parse(text) as typeof parsed;
  } catch (error) {
    throw new Error(`The HAR entry is not JSON: ${(error as Error).message}`, { cause: error });
  }
  const { url, method, headers = [] } = parsed.log?.entries?.[0]?.request ?? parsed.request ?? parsed;
  if (typeof url !== 'string') throw new Error('Expected a HAR entry with request.url; there is none.');
  return {
    url,
    ...(typeof method === 'string' ? { method } : {}),
    headers: headers.flatMap(({ name, value }) =>
      // Names that begin with a colon are the parts of the request line in HTTP/2.
      typeof name === 'string' && typeof value === 'string' && !name.startsWith(':') ? [{ name, value }] : [],
    ),
  };
}

/** Options whose next word is their value, and has no use here. */
const WITH_VALUE = new Set(
  '-o -w -m -x -u -T -F -c -E -r -Y -y -z -C -K -D --output --write-out --max-time --connect-timeout --proxy --user --upload-file --form --cookie-jar --cert --key --cacert --range --resolve --retry --config --dump-header --interface --limit-rate --referer-policy'.split(
    ' ',
  ),
);
/** Those that are headers in short. */
const HEADER_OF: Readonly<Record<string, string>> = {
  '-A': 'user-agent',
  '--user-agent': 'user-agent',
  '-e': 'referer',
  '--referer': 'referer',
  '-b': 'cookie',
  '--cookie': 'cookie',
};
const DATA = /^(-d|--data(-raw|-binary|-ascii|-urlencode)?|--json)$/;

function readCurl(text: string): PastedRequest {
  const [, ...words] = splitWords(text);
  const headers: { name: string; value: string }[] = [];
  let url: string | undefined;
  let method: string | undefined;
  let implied: string | undefined;
  for (let at = 0; at < words.length; at += 1) {
    // A short option may have its value behind it, and a long one behind an equals sign.
    const [, option, attached] = /^(-[A-Za-z]|--[a-z-]+)=?(.*)$/s.exec(words[at]!) ?? [];
    if (option === undefined) {
      url ??= words[at];
      continue;
    }
    const value = (): string => (attached !== '' ? attached! : (words[(at += 1)] ?? ''));
    if (option === '-X' || option === '--request') method = value();
    else if (option === '--url') url = value();
    else if (option === '-H' || option === '--header') addHeader(headers, value());
    else if (option in HEADER_OF) headers.push({ name: HEADER_OF[option]!, value: value() });
    else if (DATA.test(option)) {
      value();
      implied = 'POST';
    } else if (option === '-I' || option === '--head') implied = 'HEAD';
    else if (option === '-G' || option === '--get') method ??= 'GET';
    else if (WITH_VALUE.has(option)) value();
  }
  if (url === undefined) throw new Error('The command line names no URL.');
  const used = method ?? implied;
  return { url, ...(used === undefined ? {} : { method: used }), headers };
}

/** A text without a name before its colon is none. */
function addHeader(headers: { name: string; value: string }[], text: string): void {
  const colon = text.indexOf(':');
  if (colon > 0) headers.push({ name: text.slice(0, colon).trim(), value: text.slice(colon + 1).trim() });
}

const ESCAPES: Readonly<Record<string, string>> = { n: '\n', t: '\t', r: '\r' };

/** The words of a command line, as a POSIX shell takes it apart, with `$'…'` of its successors. */
function splitWords(text: string): string[] {
  const words: string[] = [];
  let word: string | undefined;
  for (let at = 0; at < text.length; at += 1) {
    const char = text[at]!;
    if (/\s/.test(char)) {
      if (word !== undefined) words.push(word);
      word = undefined;
    } else if (char === '\\') {
      at += 1;
      // A line that goes on in the next one.
      if (text[at] !== '\n') word = (word ?? '') + (text[at] ?? '');
    } else if (char === "'" || char === '"' || (char === '$' && text[at + 1] === "'")) {
      const isAnsi = char === '$';
      const quote = isAnsi ? "'" : char;
      let inside = '';
      for (at += isAnsi ? 2 : 1; at < text.length && text[at] !== quote; at += 1) {
        const isEscape = text[at] === '\\' && (isAnsi || (quote === '"' && /["\\$`]/.test(text[at + 1] ?? '')));
        if (isEscape) at += 1;
        inside += isEscape && isAnsi ? (ESCAPES[text[at]!] ?? text[at]!) : text[at]!;
      }
      word = (word ?? '') + inside;
    } else word = (word ?? '') + char;
  }
  return word === undefined ? words : [...words, word];
}
