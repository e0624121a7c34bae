import type { EncodedChunk } from '../../columns/chunk.js';
import { SegmentWriter } from '../../columns/segment-writer.js';
import type { RejectedLine } from '../../request/record.js';
import type { ReaderOptions } from '../lines/reader-options.js';
import type { ParsedLines } from './log-parser.js';
import { NcsaColumns } from './ncsa-columns.js';
import { ncsaShapeOf, type ParsedRows } from './ncsa-fields.js';
import type { LogFormat, ReadLine } from '../lines/line-parser.js';

/** The second step of an import: lines that are taken apart to chunks of columns. */
export class ChunkBuilder {
  readonly #writer = new SegmentWriter();
  readonly #ncsa: NcsaColumns | undefined;
  #chunks: EncodedChunk[] = [];

  /** @param onRejected receives each rejected line, in order */
  constructor(
    format: LogFormat,
    options: ReaderOptions,
    private readonly onRejected: (line: RejectedLine) => void,
  ) {
    const shape = ncsaShapeOf(format, options);
    this.#ncsa = shape && new NcsaColumns(this.#writer, shape, options.host);
  }

  /** @returns the chunks that became full */
  add({ plain, others }: ParsedLines): EncodedChunk[] {
    let numDone = 0;
    for (const { numBefore, line } of others) {
      if (plain) this.#addPlain(plain, numDone, numBefore);
      numDone = numBefore;
      this.#addLine(line);
    }
    if (plain) this.#addPlain(plain, numDone, plain.numRows);
    return this.#taken();
  }

  /** @returns the last chunk, if there is anything in it */
  end(): EncodedChunk[] {
    this.#endChunk();
    return this.#taken();
  }

  #addPlain(plain: ParsedRows, from: number, to: number): void {
    for (let row = from; row < to;) {
      const until = Math.min(to, row + this.#writer.numRowsLeft);
      this.#ncsa!.write(plain, row, until);
      row = until;
      if (this.#writer.isChunkFull) this.#endChunk();
    }
  }

  #addLine(line: ReadLine): void {
    if (line.kind === 'rejected') this.onRejected(line.rejected);
    else this.#writer.push(line.record, line.bytes);
    if (this.#writer.isChunkFull) this.#endChunk();
  }

  #endChunk(): void {
    const chunk = this.#writer.endChunk();
    if (chunk) this.#chunks.push(chunk);
  }

  #taken(): EncodedChunk[] {
    const chunks = this.#chunks;
    this.#chunks = [];
    return chunks;
  }
}
