/**
 * Several files of one log, such as those of one that is rotated, to lines that are taken apart, in the order of time:
 * the earliest of the next lines of all files comes first, of equals that of the first file. A file whose lines are out
 * of order stays in its own order. Gives what `mergeByTime` gives, without an object a line.
 */
import { CELL_WORDS, NUM_FIELDS, ZONE_BITS } from '../../kernel/cells.js';
import type { ReaderOptions } from '../lines/reader-options.js';
import { LogParser, type ParsedLines } from './log-parser.js';
import type { ParsedRows } from './ncsa-fields.js';
import type { LogFormat, ReadLine } from '../lines/line-parser.js';
import { markLine } from '../reader.js';

const ROW_WORDS = CELL_WORDS * NUM_FIELDS;
const KINDS_MASK = (1 << ZONE_BITS) - 1;

/** Consecutive rows of a file. */
interface Run {
  readonly file: MergedFile;
  readonly from: number;
  to: number;
}

/** A file with the lines of its piece, up to the one that comes next. */
class MergedFile {
  readonly #parser: LogParser;
  #parsed: ParsedLines = { others: [] };
  #numOthersDone = 0;
  row = 0;
  hasEnded = false;

  constructor(
    readonly index: number,
    readonly name: string,
    format: LogFormat,
    options: ReaderOptions,
    keepsLines: boolean,
  ) {
    this.#parser = new LogParser(format, options, keepsLines);
  }

  get plain(): ParsedRows | undefined {
    return this.#parsed.plain;
  }

  /** @param piece undefined for the end. @param isCut whether the end came too early */
  read(piece: Uint8Array | undefined, isCut: boolean): void {
    this.#parsed = piece ? this.#parser.parse(piece) : this.#parser.end(isCut);
    this.#numOthersDone = 0;
    this.row = 0;
    this.hasEnded ||= piece === undefined;
  }

  get hasNext(): boolean {
    return this.#numOthersDone < this.#parsed.others.length || this.row < (this.plain?.numRows ?? 0);
  }

  /** The next line where it is none of the plain ones. */
  get nextOther(): ReadLine | undefined {
    const other = this.#parsed.others[this.#numOthersDone];
    return other && other.numBefore <= this.row ? other.line : undefined;
  }

  /** A line without a time keeps its position. */
  get nextUnixMs(): number {
    const other = this.nextOther;
    if (!other) return this.plain!.timesUnixMs[this.row]!;
    return other.kind === 'record' ? other.record.atUnixMs : -Infinity;
  }

  passOther(): void {
    this.#numOthersDone += 1;
  }
}

export class MergedParser {
  readonly #files: readonly MergedFile[];
  #open: readonly MergedFile[];
  /** Of the times of all files. */
  readonly #zones: string[] = [];

  /**
   * @param names of the files, which their lines bear
   * @param keepsLines whether each line comes with its bytes
   * @throws LogOptionsError if the options contradict each other; every method throws it if they do not fit the log
   */
  constructor(
    format: LogFormat,
    options: ReaderOptions,
    private readonly names: readonly string[],
    keepsLines: boolean,
  ) {
    this.#files = names.map((name, index) => new MergedFile(index, name, format, options, keepsLines));
    this.#open = this.#files;
  }

  /** The number of the file without whose next piece nothing goes on; undefined where all have ended. */
  get wanted(): number | undefined {
    return this.#open.find((file) => !file.hasNext)?.index;
  }

  /**
   * Takes the next piece of the file that is wanted, or its end.
   * @returns the lines of all files whose turn has come; they are as they are until the next call
   */
  push(piece: Uint8Array | undefined, isCut = false): ParsedLines {
    this.#files[this.wanted!]!.read(piece, isCut);
    const runs: Run[] = [];
    const others: { numBefore: number; line: ReadLine }[] = [];
    let numRows = 0;
    for (;;) {
      this.#open = this.#open.filter((file) => file.hasNext || !file.hasEnded);
      if (this.#open.length === 0 || this.wanted !== undefined) break;
      const file = this.#earliest();
      const other = file.nextOther;
      if (other) {
        others.push({ numBefore: numRows, line: markLine(other, file.name) });
        file.passOther();
      } else numRows += this.#takeRun(file, runs);
    }
    return { ...(numRows > 0 ? { plain: this.#collect(runs, numRows) } : {}), others };
  }

  #earliest(): MergedFile {
    return this.#open.reduce((a, b) => (b.nextUnixMs < a.nextUnixMs ? b : a));
  }

  /** Takes the plain lines that come before those of all other files. @returns how many */
  #takeRun(file: MergedFile, runs: Run[]): number {
    const { timesUnixMs, numRows } = file.plain!;
    // Lines of files before it come first at the same time, those of files behind it after.
    let below = Infinity;
    let upTo = Infinity;
    for (const other of this.#open) {
      if (other.index < file.index) below = Math.min(below, other.nextUnixMs);
      else if (other.index > file.index) upTo = Math.min(upTo, other.nextUnixMs);
    }
    const from = file.row;
    do file.row += 1;
    while (file.row < numRows && !file.nextOther && timesUnixMs[file.row]! < below && timesUnixMs[file.row]! <= upTo);
    const last = runs.at(-1);
    if (last?.file === file && last.to === from) last.to = file.row;
    else runs.push({ file, from, to: file.row });
    return file.row - from;
  }

  /** The lines of consecutive runs, over the merged bytes of their files. */
  #collect(runs: readonly Run[], numRows: number): ParsedRows {
    const sources = new Map<MergedFile, { readonly start: number; readonly shift: number }>();
    const parts: Uint8Array[] = [];
    let numBytes = 0;
    for (const file of new Set(runs.map((run) => run.file))) {
      const runsOfFile = runs.filter((run) => run.file === file);
      const [start, end] = boundsOf(file.plain!.cells, runsOfFile[0]!.from, runsOfFile.at(-1)!.to - 1);
      parts.push(file.plain!.source.subarray(start, end));
      sources.set(file, { start, shift: numBytes - start });
      numBytes += end - start;
    }
    const source = new Uint8Array(numBytes);
    let at = 0;
    for (const part of parts) {
      source.set(part, at);
      at += part.length;
    }
    const lines = {
      numRows,
      source,
      numbers: new Float64Array(numRows),
      timesUnixMs: new Float64Array(numRows),
      shapes: new Int32Array(numRows),
      refererKinds: new Uint8Array(numRows),
      cells: new Int32Array(numRows * ROW_WORDS),
      files: { names: this.names, ofRows: new Int32Array(numRows) },
      zones: this.#zones,
    };
    let row = 0;
    for (const { file, from, to } of runs) {
      const plain = file.plain!;
      lines.numbers.set(plain.numbers.subarray(from, to), row);
      lines.timesUnixMs.set(plain.timesUnixMs.subarray(from, to), row);
      lines.refererKinds.set(plain.refererKinds.subarray(from, to), row);
      lines.files.ofRows.fill(file.index, row, row + to - from);
      const zones = plain.zones.map((zone) => this.#zoneNumber(zone));
      for (let nth = from; nth < to; nth += 1) {
        const shape = plain.shapes[nth]!;
        lines.shapes[row + nth - from] = (shape & KINDS_MASK) | (zones[shape >>> ZONE_BITS]! << ZONE_BITS);
      }
      copyCells(plain.cells.subarray(from * ROW_WORDS, to * ROW_WORDS), sources.get(file)!.shift, lines.cells, row);
      row += to - from;
    }
    return lines;
  }

  #zoneNumber(zone: string): number {
    const known = this.#zones.indexOf(zone);
    return known >= 0 ? known : this.#zones.push(zone) - 1;
  }
}

/** From where to where the bytes of some rows lie, which follow each other. */
function boundsOf(cells: Int32Array, firstRow: number, lastRow: number): [start: number, end: number] {
  let start = Infinity;
  let end = 0;
  for (let field = 0; field < NUM_FIELDS; field += 1) {
    const first = cells[firstRow * ROW_WORDS + field * CELL_WORDS]!;
    if (first >= 0) start = Math.min(start, first);
    const last = lastRow * ROW_WORDS + field * CELL_WORDS;
    if (cells[last]! >= 0) end = Math.max(end, cells[last + 1]!);
  }
  return [start, end];
}

/** @param shift of where bytes lie */
function copyCells(cells: Int32Array, shift: number, into: Int32Array, row: number): void {
  for (let at = 0, to = row * ROW_WORDS; at < cells.length; at += CELL_WORDS, to += CELL_WORDS) {
    const start = cells[at]!;
    const moved = start < 0 ? 0 : shift;
    into[to] = start + moved;
    into[to + 1] = cells[at + 1]! + moved;
    into[to + 2] = cells[at + 2]!;
  }
}
