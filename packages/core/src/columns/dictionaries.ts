/** The distinct values of columns while they are written, in the memory of a kernel. */
import { CELL_WORDS, NUM_FIELDS, PADDING_BYTES } from '../kernel/cells.js';
import { Kernel, type Place } from '../kernel/kernel.js';

const ROW_WORDS = CELL_WORDS * NUM_FIELDS;
const FIRST_SCRATCH_BYTES = 4096;
/** Bytes of UTF-8 that a unit of a text takes at most. */
const MAX_UNIT_BYTES = 3;
const encoder = new TextEncoder();

/** Lines whose values lie in their bytes. */
export interface LinesInBytes {
  readonly numRows: number;
  readonly source: Uint8Array;
  /** By row and field of `FIELDS`. */
  readonly cells: Int32Array;
  /** By row. */
  readonly refererKinds: Uint8Array;
}

/** The memory that dictionaries share. */
export class Dictionaries {
  readonly #kernel = new Kernel();
  #loaded: LinesInBytes | undefined;
  /** Where values lie while they are looked up. */
  #scratchBytes = FIRST_SCRATCH_BYTES;
  #scratch = this.#kernel.calls.allocate(FIRST_SCRATCH_BYTES);

  create(): TextDictionary {
    return new TextDictionary(this.#kernel, this);
  }

  /** Makes lines those that codes are asked of. */
  load(lines: LinesInBytes): void {
    if (lines === this.#loaded) return;
    this.#loaded = lines;
    const { numRows, source, cells, refererKinds } = lines;
    const kernel = this.#kernel;
    kernel.bytes(kernel.calls.openLines(source.length, numRows), source.length).set(source);
    const numWords = numRows * ROW_WORDS;
    kernel.words(kernel.calls.cellsOfLines(), numWords).set(cells.subarray(0, numWords));
    kernel.bytes(kernel.calls.kindsOfLines(), numRows).set(refererKinds.subarray(0, numRows));
  }

  /** Writes a value to where it is looked up. @returns from where to where it lies */
  write(value: Uint8Array | string): readonly [Place, Place] {
    const numBytes = value.length * (typeof value === 'string' ? MAX_UNIT_BYTES : 1) + PADDING_BYTES;
    if (numBytes > this.#scratchBytes) {
      this.#kernel.calls.release(this.#scratch, this.#scratchBytes);
      this.#scratchBytes = numBytes;
      this.#scratch = this.#kernel.calls.allocate(numBytes);
    }
    const bytes = this.#kernel.bytes(this.#scratch, this.#scratchBytes);
    if (typeof value === 'string') return [this.#scratch, this.#scratch + encoder.encodeInto(value, bytes).written];
    bytes.set(value);
    return [this.#scratch, this.#scratch + value.length];
  }
}

/** The distinct values of one column. */
export class TextDictionary {
  readonly #place: Place;

  constructor(
    private readonly kernel: Kernel,
    private readonly memory: Dictionaries,
  ) {
    this.#place = kernel.calls.newDictionary();
  }

  get numEntries(): number {
    return this.kernel.calls.numEntriesOf(this.#place);
  }

  /** Entries one behind the other, each its kind and its value; as they are until another is added to any dictionary. */
  get bytes(): Uint8Array {
    return this.kernel.bytes(this.kernel.calls.bytesOf(this.#place), this.kernel.calls.numBytesOf(this.#place));
  }

  /** Where each entry ends; as long as the bytes. */
  get ends(): Int32Array {
    return this.kernel.words(this.kernel.calls.endsOf(this.#place), this.numEntries);
  }

  /**
   * The number of a value; the first that asks for it makes it.
   * @param kind of what it is the text, one of `KINDS`: told apart from the same text of another kind, and kept in front
   */
  numberOf(kind: number, value: Uint8Array | string): number {
    const [start, end] = this.memory.write(value);
    return this.kernel.calls.numberOf(this.#place, kind, start, end);
  }

  /**
   * The codes of a field of the lines that were loaded.
   * @param kind of all of them, or 0 for that of each row
   * @returns as they are until the next call
   */
  codesOf(field: number, kind: number, fromRow: number, toRow: number): Int32Array {
    const codes = this.kernel.calls.codesOf(this.#place, field, kind, fromRow, toRow);
    return this.kernel.words(codes, toRow - fromRow);
  }

  /** Gives its memory to others; it must not be asked again. */
  release(): void {
    this.kernel.calls.releaseDictionary(this.#place);
  }
}
