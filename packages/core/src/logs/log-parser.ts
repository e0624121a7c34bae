import type { ReaderOptions } from './layout.js';
import type { Line, Splitter } from './lines.js';
import type { NcsaShape, PlainLines } from './ncsa-fields.js';
import { NcsaLines } from './ncsa-lines.js';
import { createLineReader, createSplitter, type LogFormat, type ReadLine } from './reader.js';

/** Lines of a log taken apart, and not yet in columns. May be handed to another thread. */
export interface ParsedLines {
  readonly plain?: PlainLines;
  /** All others, each with how many plain ones come before it. */
  readonly others: readonly { readonly numBefore: number; readonly line: ReadLine }[];
}

/** The first step of an import: bytes to lines that are taken apart. */
export class LogParser {
  readonly #splitter: Splitter;
  readonly #read: (line: Line) => ReadLine | undefined;
  readonly #ncsa: NcsaLines | undefined;
  #others: { numBefore: number; line: ReadLine }[] = [];

  /**
   * @param keepsLines whether each line comes with its bytes
   * @throws LayoutError where what is said does not hold together, as every method does where it does not fit the log
   */
  constructor(
    format: LogFormat,
    options: ReaderOptions,
    private readonly keepsLines: boolean,
  ) {
    this.#splitter = createSplitter(format, options);
    this.#read = createLineReader(format, options);
    const shape = ncsaShapeOf(format, options);
    this.#ncsa = shape && new NcsaLines(shape);
  }

  /** @returns the lines that end in this piece; they refer to its bytes, and are as they are until the next call */
  parse(piece: Uint8Array): ParsedLines {
    this.#splitter.split(piece, (line) => this.#take(line, piece));
    return this.#taken(piece);
  }

  /** @returns what the log ends in */
  end(): ParsedLines {
    const nothing = new Uint8Array();
    this.#splitter.finish((line) => this.#take(line, nothing));
    return this.#taken(nothing);
  }

  #take(line: Line, piece: Uint8Array): void {
    if (line.isEmpty || (!line.isOverlong && this.#ncsa?.take(line, piece))) return;
    const read = this.#read(line);
    if (!read) return;
    const numBefore = this.#ncsa?.numRows ?? 0;
    const isKept = this.keepsLines && read.kind === 'record';
    this.#others.push({
      numBefore,
      line: isKept ? { ...read, bytes: line.bytes.subarray(line.start, line.end) } : read,
    });
  }

  #taken(piece: Uint8Array): ParsedLines {
    const others = this.#others;
    this.#others = [];
    return { plain: this.#ncsa?.taken(piece), others };
  }
}

/** What an NCSA format has, where lines of it are read in their bytes. */
export function ncsaShapeOf(format: LogFormat, { isInSyslog }: ReaderOptions): NcsaShape | undefined {
  return isInSyslog ? undefined : NCSA_SHAPES[format];
}

const NCSA_SHAPES: Partial<Record<LogFormat, NcsaShape>> = {
  'combined': { isCombined: true, hasHost: false },
  'combined-with-host': { isCombined: true, hasHost: true },
  'common': { isCombined: false, hasHost: false },
  'common-with-host': { isCombined: false, hasHost: true },
};
