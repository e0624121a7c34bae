/** Bytes of a log to chunks of columns, with how each line was written. */
import type { EncodedChunk } from '../columns/chunk.js';
import { SegmentWriter } from '../columns/segment-writer.js';
import type { RejectedLine } from '../request/record.js';
import { LineSplitter, type Line } from './lines.js';
import { NcsaBytes } from './ncsa-bytes.js';
import { createLineReader, type LogFormat, type ReaderOptions, type ReadLine } from './reader.js';
import { writtenAs } from './written.js';

export class LogImporter {
  readonly #splitter: LineSplitter;
  readonly #writer = new SegmentWriter();
  readonly #read: (line: Line) => ReadLine | undefined;
  readonly #ncsa: NcsaBytes | undefined;
  #chunks: EncodedChunk[] = [];

  /** @param onRejected hears of each line that is no request, in order */
  constructor(
    format: LogFormat,
    options: ReaderOptions,
    private readonly onRejected: (line: RejectedLine) => void,
  ) {
    this.#splitter = new LineSplitter(options.maxLineBytes);
    this.#read = createLineReader(format, options);
    const shape = NCSA_SHAPES[format];
    if (shape) this.#ncsa = new NcsaBytes(this.#writer, shape.isCombined, shape.hasHost, options.host);
  }

  /** @returns the chunks that became full */
  push(piece: Uint8Array): EncodedChunk[] {
    this.#splitter.split(piece, (line) => this.#take(line));
    this.#ncsa?.flush();
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
    else if (read) this.#writer.push(read.record, writtenAs(line.bytes.subarray(line.start, line.end)));
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
