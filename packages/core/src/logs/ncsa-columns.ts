/** Plain lines of an NCSA log into columns. */
import { WRITTEN_COLUMN } from '../columns/chunk.js';
import { KINDS } from '../columns/column.js';
import { viewOf, type ColumnWriter, type SegmentWriter } from '../columns/segment-writer.js';
import {
  AGENT,
  BYTES,
  CELL_WORDS,
  CLIENT,
  EMPTY,
  FIELDS,
  HOST,
  METHOD,
  MISSING,
  NOUGHT,
  PATH,
  QUERY,
  REFERER,
  ROW_WORDS,
  SHAPE_BITS,
  STATUS,
  USER,
  VALUE,
  VERSION,
  type NcsaShape,
  type PlainLines,
} from './ncsa-fields.js';
import { ATTRIBUTE_END, ATTRIBUTE_START, TEMPLATE, TIME_MARK } from './written.js';

const encoder = new TextEncoder();
const NOUGHT_BYTES = viewOf(encoder.encode('0'));

export class NcsaColumns {
  #segment = -1;
  #columns: readonly ColumnWriter[] = [];
  #written!: ColumnWriter;
  readonly #host: DataView | undefined;
  /** Codes in this segment of how lines are written, by shape and zone. */
  #codes = new Map<string, Int32Array>();

  /** @param host of every line, where the format has no column for it */
  constructor(
    private readonly writer: SegmentWriter,
    private readonly format: NcsaShape,
    host: string | undefined,
  ) {
    this.#host = host === undefined || format.hasHost ? undefined : viewOf(encoder.encode(host));
  }

  /** Writes the lines from one to another, for which there must be room in the chunk. */
  write(
    { source, lines, timesUnixMs, shapes, zones, refererKinds, cells }: PlainLines,
    from: number,
    to: number,
  ): void {
    this.#useSegment();
    const first = this.writer.beginRows(lines.subarray(from, to), timesUnixMs.subarray(from, to));
    const view = viewOf(source);
    const numCells = to - from;
    for (const [field, { kind }] of FIELDS.entries())
      if (this.#isThere(field))
        this.#columns[field]!.setMany(first, {
          kind: field === REFERER ? refererKinds.subarray(from, to) : kind,
          source: view,
          cells,
          firstWord: from * ROW_WORDS + field * CELL_WORDS,
          wordsApart: ROW_WORDS,
          numCells,
        });
    for (let row = 0, at = from * ROW_WORDS + BYTES * CELL_WORDS; row < numCells; row += 1, at += ROW_WORDS)
      if (cells[at] === NOUGHT) this.#columns[BYTES]!.setBytes(first + row, KINDS.json, NOUGHT_BYTES, 0, 1);
    if (this.#host)
      for (let row = first; row < first + numCells; row += 1)
        this.#columns[HOST]!.setBytes(row, KINDS.list, this.#host, 0, this.#host.byteLength);
    for (let row = 0; row < numCells; row += 1) this.#setWritten(first + row, shapes[from + row]!, zones);
  }

  #isThere(field: number): boolean {
    return field === HOST ? this.format.hasHost : this.format.isCombined || (field !== REFERER && field !== AGENT);
  }

  #useSegment(): void {
    if (this.#segment === this.writer.segment) return;
    this.#segment = this.writer.segment;
    this.#columns = FIELDS.map(({ name }) => this.writer.column(name));
    this.#written = this.writer.column(WRITTEN_COLUMN);
    this.#codes = new Map();
  }

  #setWritten(row: number, shape: number, zones: readonly string[]): void {
    const zone = zones[shape >>> SHAPE_BITS.zone]!;
    let codes = this.#codes.get(zone);
    if (!codes) this.#codes.set(zone, (codes = new Int32Array(1 << SHAPE_BITS.zone)));
    const kinds = shape & (codes.length - 1);
    if (codes[kinds] === 0) {
      const template = this.#templateOf(kinds, zone);
      codes[kinds] = this.#written.codeOf(KINDS.text, template, 0, template.byteLength);
    }
    this.#written.setCode(row, codes[kinds]!);
  }

  #templateOf(kinds: number, zone: string): DataView {
    const mark = (field: number): string => `${ATTRIBUTE_START}${FIELDS[field]!.name}${ATTRIBUTE_END}`;
    const kindAt = (bits: number): number => (kinds >> bits) & 3;
    const word = (field: number, bits: number): string =>
      ({ [MISSING]: '-', [EMPTY]: '', [VALUE]: mark(field) })[kindAt(bits)]!;
    const query = { [MISSING]: '', [EMPTY]: '?', [VALUE]: `?${mark(QUERY)}` }[kindAt(SHAPE_BITS.query)]!;
    const text = [
      TEMPLATE,
      this.format.hasHost ? `${word(HOST, SHAPE_BITS.host)} ` : '',
      `${word(CLIENT, SHAPE_BITS.client)} - ${word(USER, SHAPE_BITS.user)} [${TIME_MARK}${zone}] `,
      `"${mark(METHOD)} ${mark(PATH)}${query} HTTP/${mark(VERSION)}" ${mark(STATUS)} ${word(BYTES, SHAPE_BITS.bytes)}`,
      this.format.isCombined ? ` "${word(REFERER, SHAPE_BITS.referer)}" "${word(AGENT, SHAPE_BITS.agent)}"` : '',
    ];
    return viewOf(encoder.encode(text.join('')));
  }
}
