/** Bytes of a log to chunks of columns, with how each line was written. */
import type { EncodedChunk } from '../columns/chunk.js';
import { SegmentWriter } from '../columns/segment-writer.js';
import type { RejectedLine } from '../request/record.js';
import type { ReaderOptions } from './layout.js';
import type { Line, Splitter } from './lines.js';
import { NcsaBytes } from './ncsa-bytes.js';
import { createLineReader, createSplitter, type LogFormat, type ReadLine } from './reader.js';
import { writtenAs } from './written.js';

export class LogImporter {
  readonly #splitter: Splitter;
  readonly #writer = new SegmentWriter();
  readonly #read: (line: Line) => ReadLine | undefined;
  readonly #ncsa: NcsaBytes | undefined;
  readonly #keepsLines: boolean;
  #chunks: EncodedChunk[] = [];

  /**
   * @param onRejected hears of each line that is no request, in order
   * @param keepsLines whether each line can be given back as it was written
   * @throws LayoutError where what is said does not hold together, as every method does where it does not fit the log
   */
  constructor(
    format: LogFormat,
    options: ReaderOptions,
    private readonly onRejected: (line: RejectedLine) => void,
    { keepsLines = true }: { readonly keepsLines?: boolean } = {},
  ) {
    this.#keepsLines = keepsLines;
    this.#splitter = createSplitter(format, options);
    this.#read = createLineReader(format, options);
    const shape = options.isInSyslog ? undefined : NCSA_SHAPES[format];
    if (shape) this.#ncsa = new NcsaBytes(this.#writer, shape.isCombined, shape.hasHost, options.host);
  }

  /** @returns the chunks that became full */
  push(piece: Uint8Array): EncodedChunk[] {
    this.#splitter.split(piece, (line) => this.#take(line));
    this.#ncsa?.flush();
    return this.#taken();
  }

  /** Takes lines that were read already, as of several files. @returns the chunks that became full */
  pushRead(lines: readonly ReadLine[]): EncodedChunk[] {
    for (const line of lines) {
      if (line.kind === 'rejected') this.onRejected(line.rejected);
      else this.#writer.push(line.record, line.bytes && writtenAs(line.bytes));
      if (this.#writer.isChunkFull) this.#endChunk();
    }
    return this.#taken();
  }

  /** @returns what is left, the last chunk included */
  end(): EncodedChunk[] {
    this.#splitter.finish((line) => this.#take(line));
    this.#endChunk();
    return this.#taken();
  }

  #take(line: Line): void {
    if (line.isEmpty) return;
    const { bytes, start, end } = line;
    if (line.isOverlong || !this.#ncsa?.take(bytes, start, end, line.number)) this.#takeText(line);
    if (this.#writer.isChunkFull) this.#endChunk();
  }

  #takeText(line: Line): void {
    const read = this.#read(line);
    if (read?.kind === 'rejected') this.onRejected(read.rejected);
    else if (read)
      this.#writer.push(
        read.record,
        this.#keepsLines ? writtenAs(line.bytes.subarray(line.start, line.end)) : undefined,
      );
  }

  #endChunk(): void {
    this.#ncsa?.flush();
    const chunk = this.#writer.endChunk();
    if (chunk) this.#chunks.push(chunk);
  }

  #taken(): EncodedChunk[] {
    const chunks = this.#chunks;
    this.#chunks = [];
    return chunks;
  }
}

const NCSA_SHAPES: Partial<Record<LogFormat, { readonly isCombined: boolean; readonly hasHost: boolean }>> = {
  'combined': { isCombined: true, hasHost: false },
  'combined-with-host': { isCombined: true, hasHost: true },
  'common': { isCombined: false, hasHost: false },
  'common-with-host': { isCombined: false, hasHost: true },
};
