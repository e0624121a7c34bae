import { REACHES, type DatasetKind } from '../reference/dataset.js';
import { HostTableBuilder } from '../reference/host-table-builder.js';
import { createRangeTable, type RangeRow } from '../reference/range-table.js';
import { LineCounter, quoteText, TextLines, withoutComment, type LinesReport } from '../reference/text-lines.js';
import { parseAddress } from '../request/address.js';
import { parseEntry } from './parser.js';

const PLAIN_DOMAIN = /^[a-z0-9_-]{1,63}(\.[a-z0-9_-]{1,63})*\.[a-z][a-z0-9-]{0,62}$/;
const MAX_DOMAIN = 253;

/**
 * Reads the entries of a large list as they come: one a line as in the file of a list, `#` comments; of domains also
 * lines of a hosts file. A line that is no entry is reported and left out.
 */
export class DatasetReader {
  readonly #ranges: RangeRow[] = [];
  readonly #hosts = new HostTableBuilder();
  readonly #counter = new LineCounter();
  readonly #lines = new TextLines((line, isTooLong) => this.#take(line, isTooLong));

  constructor(private readonly kind: DatasetKind) {}

  get numLines(): number {
    return this.#counter.numLines;
  }

  startFile(file: string | undefined): void {
    this.#lines.end();
    this.#counter.startFile(file);
  }

  push(bytes: Uint8Array): void {
    this.#lines.push(bytes);
  }

  /** @returns the stored form, and what became of the lines */
  end(): { buffer: ArrayBufferLike; report: LinesReport } {
    this.#lines.end();
    const table = this.kind === 'addresses' ? createRangeTable(this.#ranges) : this.#hosts.build();
    const numEntries = 'numRanges' in table ? table.numRanges : table.numEntries;
    return { buffer: table.buffer, report: this.#counter.report(numEntries) };
  }

  #take(line: string, isTooLong: boolean): void {
    this.#counter.next();
    const problem = isTooLong ? 'the line is too long' : this.#read(withoutComment(line));
    if (problem !== undefined) this.#counter.reject(problem);
  }

  /** @returns what is wrong with the line */
  #read(text: string): string | undefined {
    if (text === '') return undefined;
    if (this.kind === 'domains') {
      // Most lines of large lists are so, and need no parser.
      if (PLAIN_DOMAIN.test(text) && text.length <= MAX_DOMAIN && !text.includes('xn--')) {
        this.#hosts.add({ host: text, path: '', value: 0 });
        return undefined;
      }
      const [first, ...hosts] = text.split(/\s+/);
      if (hosts.length > 0 && parseAddress(first!))
        return this.#counter
          .namesOfHosts(hosts)
          .map((host) => this.#readEntry(host))
          .find((problem) => problem !== undefined);
    }
    return this.#readEntry(text);
  }

  #readEntry(text: string): string | undefined {
    const { entry, diagnostics } = parseEntry(text, this.kind, 'dataset', 1);
    if (diagnostics[0]) return diagnostics[0].message;
    switch (entry?.kind) {
      case 'addresses':
        this.#ranges.push({ ...entry.range, value: 0 });
        return undefined;
      case 'domain':
        this.#hosts.add({ host: entry.entry.name, path: '', value: REACHES.indexOf(entry.entry.reach) });
        return undefined;
      case 'url':
        return this.#hosts.add({ host: entry.host, path: entry.path, value: 0 })
          ? undefined
          : `${quoteText(text)} is too long`;
      default:
        return `${quoteText(text)} is the name of a list, which a dataset cannot contain`;
    }
  }
}
