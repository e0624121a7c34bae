/**
 * Feeds of sites by category, read line by line, each line typed by itself: `domain-or-url,category`, a domain or URL
 * alone where the category is given from outside, or a line of a hosts file.
 */
import { parseAddress } from '../request/address.js';
import { normalizeHost } from '../request/host.js';
import { normalizePath } from '../request/path.js';
import { ByteInterner } from './byte-interner.js';
import { FastSiteParser } from './fast-site-parser.js';
import { LineCounter, quoteText, TextLines, withoutComment, type LinesReport } from './text-lines.js';
import { CategoryFeedBuilder, UNCATEGORISED, type CategoryEntry, type CategoryFeed } from './categories.js';

/** The result of reading a feed. */
export interface FeedReport extends LinesReport {
  /** Categories that are called otherwise here, since a name is lower-case words joined by hyphens. */
  readonly renamed: Readonly<Record<string, string>>;
}

const LINE_FEED = 0x0a;
const CATEGORY_NAME = /^[a-z][a-z0-9-]{0,62}$/;
const MAX_RENAMED = 1000;

/** Reads the bytes of one or several files into a feed. Its memory is that of the entries, whatever the length of the lines. */
export class CategoryFeedReader {
  readonly #builder = new CategoryFeedBuilder();
  readonly #renamed = new Map<string, string | undefined>();
  readonly #counter = new LineCounter();
  readonly #lines = new TextLines((line, isTooLong) => this.#take(line, isTooLong));
  readonly #site = new FastSiteParser();
  readonly #values = new ByteInterner();
  #category: string | undefined;

  /** @param category of lines without one. @throws Error if it is not a valid name of a category */
  constructor(category?: string) {
    this.startFile(undefined, category);
  }

  get numLines(): number {
    return this.#counter.numLines;
  }

  /** Ends the file before, if any, and begins another. */
  startFile(file: string | undefined, category: string | undefined): void {
    this.#lines.end();
    this.#counter.startFile(file);
    this.#category = category === undefined ? undefined : this.#nameOf(category);
    if (category !== undefined && this.#category === undefined)
      throw new Error(`"${category}" is no name of a category.`);
  }

  push(bytes: Uint8Array): void {
    let at = 0;
    while (at < bytes.length) {
      if (this.#lines.isAtStart && this.#takePlain(bytes, at)) {
        at = this.#site.end;
        continue;
      }
      const end = bytes.indexOf(LINE_FEED, at) + 1 || bytes.length;
      this.#lines.push(bytes.subarray(at, end));
      at = end;
    }
  }

  /** Takes a line as it is usual. @returns false where it is not */
  #takePlain(bytes: Uint8Array, start: number): boolean {
    const site = this.#site;
    if (!site.read(bytes, start)) return false;
    const { categoryStart, categoryEnd, hostEnd, numLabels } = site;
    const value =
      categoryStart === hostEnd
        ? this.#ownValue()
        : this.#values.find(bytes, categoryStart, categoryEnd, this.#valueOf);
    if (value === undefined) return false;
    this.#counter.next();
    this.#builder.addPlain(bytes, start, hostEnd, numLabels, value);
    return true;
  }

  #ownValue(): number | undefined {
    return this.#category === undefined ? undefined : this.#builder.valueOf(this.#category);
  }

  /** The number of a category that is called as the feed calls it. */
  readonly #valueOf = (category: string): number | undefined =>
    this.#nameOf(category) === category ? this.#builder.valueOf(category) : undefined;

  end(name: string): { feed: CategoryFeed; report: FeedReport } {
    this.#lines.end();
    const feed = this.#builder.build(name);
    const renamed = [...this.#renamed].flatMap(([from, to]) => (to && to !== from ? [[from, to]] : []));
    const report = this.#counter.report(feed.table.numEntries);
    return { feed, report: { ...report, renamed: Object.fromEntries(renamed) as Record<string, string> } };
  }

  #take(line: string, isTooLong: boolean): void {
    this.#counter.next();
    const problem = isTooLong ? 'the line is too long' : this.#read(line);
    if (problem !== undefined) this.#counter.reject(problem);
  }

  /** @returns what is wrong with the line */
  #read(line: string): string | undefined {
    const text = withoutComment(line);
    if (text === '') return undefined;
    const comma = text.lastIndexOf(',');
    if (comma >= 0) return this.#readRow(text.slice(0, comma), text.slice(comma + 1));
    const [first, ...hosts] = text.split(/\s+/);
    if (hosts.length > 0 && parseAddress(first!)) return this.#readHostsLine(hosts);
    if (hosts.length > 0) return `expected one domain or URL, found ${quoteText(text)}`;
    return this.#add(text, this.#category);
  }

  #readRow(site: string, category: string): string | undefined {
    const name = this.#nameOf(unquote(category));
    if (name !== undefined) return this.#add(unquote(site), name);
    // The first line may name the columns.
    return this.#counter.line === 1 && !site.includes('.')
      ? undefined
      : `${quoteText(category)} is no name of a category`;
  }

  #readHostsLine(hosts: readonly string[]): string | undefined {
    return this.#counter
      .namesOfHosts(hosts)
      .map((host) => this.#add(host, this.#category))
      .find((problem) => problem !== undefined);
  }

  #add(site: string, category: string | undefined): string | undefined {
    if (category === undefined) return `the category is missing; expected "domain-or-url,category"`;
    const place = parseSite(site);
    if (typeof place === 'string') return this.#counter.line === 1 && !/[.:]/.test(site) ? undefined : place;
    return this.#builder.add({ ...place, category }) ? undefined : `${quoteText(site)} is too long`;
  }

  /** A name as it is, or lower-case words joined by hyphens made of it. */
  #nameOf(text: string): string | undefined {
    if (CATEGORY_NAME.test(text) && text !== UNCATEGORISED) return text;
    if (this.#renamed.has(text)) return this.#renamed.get(text);
    const name = text
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^[^a-z]+|-+$/g, '');
    const usable = CATEGORY_NAME.test(name) && name !== UNCATEGORISED ? name : undefined;
    if (this.#renamed.size < MAX_RENAMED) this.#renamed.set(text, usable);
    return usable;
  }
}

function unquote(cell: string): string {
  return cell.trim().replace(/^"(.*)"$/, '$1');
}

const PLAIN_DOMAIN = /^[a-z0-9_-]{1,63}(\.[a-z0-9_-]{1,63})+$/;
const MAX_PLAIN = 253;

/** Reads a domain or a URL without its query. @returns what is wrong with it otherwise */
export function parseSite(text: string): Pick<CategoryEntry, 'host' | 'path'> | string {
  if (PLAIN_DOMAIN.test(text) && !text.includes('xn--') && text.length <= MAX_PLAIN && !/\d$/.test(text))
    return { host: text };
  const [, authority, path] = /^(?:https?:\/\/)?(?:\*?\.)?([^/?#]*)([^#]*)/.exec(text)!;
  const isAddress = parseAddress(authority!) !== undefined;
  const host = authority!.includes('.') || isAddress ? normalizeHost(authority!) : null;
  if (host === null) return `${quoteText(text)} is no domain or URL`;
  if (path!.includes('?')) return `${quoteText(text)} has a query, which an entry cannot test`;
  const normal = normalizePath(path!);
  return normal === '/' ? { host } : { host, path: normal };
}

/** A feed that is all here. */
export function parseCategoryFeed(
  name: string,
  text: string,
  category?: string,
): { feed: CategoryFeed; report: FeedReport } {
  const reader = new CategoryFeedReader(category);
  reader.push(new TextEncoder().encode(text));
  return reader.end(name);
}
