/** Plain lines of an NCSA log into columns. */
import { WRITTEN_COLUMN } from '../../columns/chunk.js';
import { KINDS } from '../../columns/column.js';
import type { ColumnWriter } from '../../columns/column-writer.js';
import type { SegmentWriter } from '../../columns/segment-writer.js';
import {
  AGENT,
  AGENT_BITS,
  BYTES,
  BYTES_BITS,
  CLIENT,
  CLIENT_BITS,
  EMPTY,
  ESCAPED,
  HOST,
  HOST_BITS,
  METHOD,
  MISSING,
  PATH,
  QUERY,
  QUERY_BITS,
  REFERER,
  REFERER_BITS,
  STATUS,
  USER,
  USER_BITS,
  VALUE,
  VERSION,
  ZONE_BITS,
} from '../../kernel/cells.js';
import { FILE_ATTRIBUTE } from '../../request/record.js';
import { FIELDS, type NcsaShape, type ParsedRows } from './ncsa-fields.js';
import { ATTRIBUTE_END, ATTRIBUTE_START, ESCAPED_START, TEMPLATE, TIME_MARK } from './line-encoding.js';

/** Instead of one kind of all lines. */
const KIND_OF_LINE = 0;

export class NcsaColumns {
  #segment = -1;
  #columns: readonly ColumnWriter[] = [];
  #written!: ColumnWriter;
  /** Codes in this segment of how lines are written, by shape and zone. */
  #codes = new Map<string, Int32Array>();
  /** The same of the names of files. */
  #fileCodes: number[] = [];

  /** @param host of every line, where the format has no column for it */
  constructor(
    private readonly writer: SegmentWriter,
    private readonly format: NcsaShape,
    private readonly host: string | undefined,
  ) {}

  /** Writes the lines from one to another, for which there must be room in the chunk. */
  write(lines: ParsedRows, from: number, to: number): void {
    if (from === to) return;
    this.#useSegment();
    this.writer.load(lines);
    const first = this.writer.beginRows(lines.numbers.subarray(from, to), lines.timesUnixMs.subarray(from, to));
    const numRows = to - from;
    for (const [field, { kind }] of FIELDS.entries()) {
      if (!this.#isThere(field)) continue;
      const column = this.#columns[field]!;
      column.setField(first, field, field === REFERER ? KIND_OF_LINE : kind, from, to);
    }
    if (this.host !== undefined && !this.format.hasHost) {
      const column = this.#columns[HOST]!;
      column.setCodes(first, new Int32Array(numRows).fill(column.codeOf(KINDS.list, this.host)));
    }
    if (lines.files) {
      const { names, ofRows } = lines.files;
      const column = this.writer.column(FILE_ATTRIBUTE);
      const codes = ofRows
        .subarray(from, to)
        .map((file) => (this.#fileCodes[file] ??= column.codeOf(KINDS.text, names[file]!)));
      column.setCodes(first, codes);
    }
    this.#written.setCodes(
      first,
      lines.shapes.subarray(from, to).map((shape) => this.#codeOfWritten(shape, lines.zones)),
    );
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
    this.#fileCodes = [];
  }

  #codeOfWritten(shape: number, zones: readonly string[]): number {
    const zone = zones[shape >>> ZONE_BITS]!;
    let codes = this.#codes.get(zone);
    if (!codes) this.#codes.set(zone, (codes = new Int32Array(1 << ZONE_BITS)));
    const kinds = shape & (codes.length - 1);
    return (codes[kinds] ||= this.#written.codeOf(KINDS.text, this.#templateOf(kinds, zone)));
  }

  #templateOf(kinds: number, zone: string): string {
    const mark = (field: number): string => `${ATTRIBUTE_START}${FIELDS[field]!.name}${ATTRIBUTE_END}`;
    const kindAt = (bits: number): number => (kinds >> bits) & 3;
    const word = (field: number, bits: number): string =>
      ({
        [MISSING]: '-',
        [EMPTY]: '',
        [VALUE]: mark(field),
        [ESCAPED]: `${ESCAPED_START}${FIELDS[field]!.name}${ATTRIBUTE_END}`,
      })[kindAt(bits)]!;
    const query = { [MISSING]: '', [EMPTY]: '?', [VALUE]: `?${mark(QUERY)}` }[kindAt(QUERY_BITS)]!;
    const text = [
      TEMPLATE,
      this.format.hasHost ? `${word(HOST, HOST_BITS)} ` : '',
      `${word(CLIENT, CLIENT_BITS)} - ${word(USER, USER_BITS)} [${TIME_MARK}${zone}] `,
      `"${mark(METHOD)} ${mark(PATH)}${query} HTTP/${mark(VERSION)}" ${mark(STATUS)} ${word(BYTES, BYTES_BITS)}`,
      this.format.isCombined ? ` "${word(REFERER, REFERER_BITS)}" "${word(AGENT, AGENT_BITS)}"` : '',
    ];
    return text.join('');
  }
}
