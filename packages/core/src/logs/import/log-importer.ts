/** Bytes of a log to chunks of columns, with how each line was written: both steps in one thread. */
import type { EncodedChunk } from '../../columns/chunk.js';
import type { RejectedLine } from '../../request/record.js';
import { ChunkBuilder } from './chunk-builder.js';
import type { ReaderOptions } from '../lines/reader-options.js';
import { LogParser } from './log-parser.js';
import type { LogFormat } from '../lines/line-parser.js';

export class LogImporter {
  readonly #parser: LogParser;
  readonly #builder: ChunkBuilder;

  /**
   * @param onRejected receives each rejected line, in order
   * @param keepsLines whether each line can be given back as it was written
   * @throws LogOptionsError if the options contradict each other; every method throws it if they do not fit the log
   */
  constructor(
    format: LogFormat,
    options: ReaderOptions,
    onRejected: (line: RejectedLine) => void,
    { keepsLines = true }: { readonly keepsLines?: boolean } = {},
  ) {
    this.#parser = new LogParser(format, options, keepsLines);
    this.#builder = new ChunkBuilder(format, options, onRejected);
  }

  /** @returns the chunks that became full */
  push(piece: Uint8Array): EncodedChunk[] {
    return this.#builder.add(this.#parser.parse(piece));
  }

  /** @param isCut whether the log ended too early. @returns what is left, the last chunk included */
  end(isCut = false): EncodedChunk[] {
    return [...this.#builder.add(this.#parser.end(isCut)), ...this.#builder.end()];
  }
}
