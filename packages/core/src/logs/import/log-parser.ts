import type { ReaderOptions } from '../lines/reader-options.js';
import { LineSplitter, type Line, type Splitter } from '../lines/lines.js';
import { ncsaShapeOf, type ParsedRows } from './ncsa-fields.js';
import { NcsaLines } from './ncsa-lines.js';
import type { LogFormat, ReadLine } from '../lines/line-parser.js';
import { createLineReader, createSplitter } from '../reader.js';

/** Lines of a log taken apart, and not yet in columns. May be handed to another thread. */
export interface ParsedLines {
  readonly plain?: ParsedRows;
  /** All others, each with how many plain ones come before it. */
  readonly others: readonly { readonly numBefore: number; readonly line: ReadLine }[];
}

/** The first step of an import: bytes to lines that are taken apart. */
export class LogParser {
  readonly #splitter: Splitter;
  readonly #read: (line: Line) => ReadLine | undefined;
  readonly #ncsa?: NcsaLines;
  #others: { numBefore: number; line: ReadLine }[] = [];

  /**
   * @param keepsLines whether each line comes with its bytes
   * @throws LogOptionsError if the options contradict each other; every method throws it if they do not fit the log
   */
  constructor(
    format: LogFormat,
    options: ReaderOptions,
    private readonly keepsLines: boolean,
  ) {
    this.#splitter = createSplitter(format, options);
    this.#read = createLineReader(format, options);
    const shape = ncsaShapeOf(format, options);
    if (shape && this.#splitter instanceof LineSplitter) this.#ncsa = new NcsaLines(shape, this.#splitter);
  }

  /** @returns the lines that end in this piece; they are as they are until the next call */
  parse(piece: Uint8Array): ParsedLines {
    (this.#ncsa ?? this.#splitter).split(piece, (line) => this.#takeOther(line));
    return this.#taken();
  }

  /** @param isCut whether the log ended too early. @returns what it ends in */
  end(isCut = false): ParsedLines {
    (this.#ncsa ?? this.#splitter).finish((line) => this.#takeOther(line), isCut);
    return this.#taken();
  }

  #takeOther(line: Line): void {
    const read = line.isEmpty ? undefined : this.#read(line);
    if (!read) return;
    const isKept = this.keepsLines && read.kind === 'record';
    this.#others.push({
      numBefore: this.#ncsa?.numRows ?? 0,
      line: isKept ? { ...read, bytes: line.bytes.subarray(line.start, line.end) } : read,
    });
  }

  #taken(): ParsedLines {
    const others = this.#others;
    this.#others = [];
    return { plain: this.#ncsa?.finishRows(), others };
  }
}
