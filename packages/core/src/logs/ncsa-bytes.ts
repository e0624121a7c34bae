/**
 * Lines of the NCSA formats straight from their bytes into columns, without a string a line. Only lines as servers write
 * them nearly always are taken; whatever else a line may be is left to the reader of text, which says what it means.
 */
import { viewOf, type ColumnWriter, type SegmentWriter } from '../columns/segment-writer.js';
import { WRITTEN_COLUMN } from '../columns/chunk.js';
import { KINDS } from '../columns/column.js';
import { parseNcsaTime } from '../request/time.js';
import { ATTRIBUTE_END, ATTRIBUTE_START, TEMPLATE, TIME_MARK } from './written.js';

const SPACE = 0x20;
const QUOTE = 0x22;
const DASH = 0x2d;
const SLASH = 0x2f;
const ZERO = 0x30;
const NINE = 0x39;
const QUESTION = 0x3f;
const HASH = 0x23;
const BACKSLASH = 0x5c;
const OPEN = 0x5b;
const CLOSE = 0x5d;
/** `10/Oct/2026:13:55:36 +0200` */
const TIME_BYTES = 26;
const ZONE_BYTES = 6;

/** Where the seconds stand in a time. */
const SECONDS_AT = 18;
/** Lines whose cells are written together. */
const BATCH = 512;

const FIELDS = [
  { name: 'http.request.header.host', kind: KINDS.list },
  { name: 'client.address', kind: KINDS.text },
  { name: 'user.name', kind: KINDS.text },
  { name: 'http.request.method', kind: KINDS.text },
  { name: 'url.path', kind: KINDS.text },
  { name: 'url.query', kind: KINDS.text },
  { name: 'network.protocol.version', kind: KINDS.text },
  { name: 'http.response.status_code', kind: KINDS.json },
  { name: 'http.response.body.size', kind: KINDS.json },
  { name: 'http.request.header.referer', kind: KINDS.list },
  { name: 'user_agent.original', kind: KINDS.text },
] as const;
const [HOST, CLIENT, USER, METHOD, PATH, QUERY, VERSION, STATUS, BYTES, REFERER, AGENT] =
  FIELDS.keys() as Iterable<number> as [
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
  ];
/** Of a cell that waits: it is none, or was set already. */
const NONE = -1;
const SET = -2;

const encoder = new TextEncoder();
const decoder = new TextDecoder();

export class NcsaBytes {
  #segment = -1;
  #columns: readonly ColumnWriter[] = [];
  /** The bytes in which the cells lie that wait, the row of the first, and how many rows wait. */
  #source: DataView | undefined;
  #seen: Uint8Array | undefined;
  #view: DataView = new DataView(new ArrayBuffer(0));
  #firstRow = 0;
  #numWaiting = 0;
  /** Of the line that is read: from where to where each field lies, and where the time begins. */
  readonly #line = new Int32Array(FIELDS.length * 2);
  #timeStart = 0;
  /** By field, from where to where each cell lies. */
  readonly #bounds = FIELDS.map(() => new Int32Array(BATCH * 2));
  #written!: ColumnWriter;
  /** Templates by what tells them apart. */
  readonly #templates = new Map<string, DataView>();
  #lastKinds = -1;
  #lastZone = '';
  #lastSegment = -1;
  #lastCode = 0;
  readonly #timeBytes = new Uint8Array(TIME_BYTES);
  #minute: { readonly atUnixMs: number | undefined; readonly zone: string } = { atUnixMs: undefined, zone: '' };
  readonly #host: DataView | undefined;

  /** @param host of every line, where the format has no column for it */
  constructor(
    private readonly writer: SegmentWriter,
    private readonly isCombined: boolean,
    private readonly hasHostColumn: boolean,
    host: string | undefined,
  ) {
    this.#host = host === undefined ? undefined : viewOf(encoder.encode(host));
  }

  /** Writes a line as a row. @returns false where the line is not as usual; then nothing is written */
  take(source: Uint8Array, start: number, end: number, line: number): boolean {
    if (source !== this.#seen) {
      this.#seen = source;
      this.#view = viewOf(source);
    }
    if (!isPlain(this.#view, start, end) || !this.#find(source, start, end)) return false;
    const atUnixMs = this.#readTime(source, this.#timeStart);
    if (atUnixMs === undefined) return false;
    // Cells that wait are those of rows that follow each other, in the same bytes.
    const isNext = this.writer.numRows === this.#firstRow + this.#numWaiting;
    if (this.#view !== this.#source || this.#numWaiting === BATCH || !isNext) this.flush();
    this.#source = this.#view;
    this.#useSegment();
    const row = this.writer.beginRow(line, atUnixMs);
    if (this.#numWaiting === 0) this.#firstRow = row;
    this.#numWaiting += 1;
    this.#setWritten(row, this.#waitAll(row, source));
    return true;
  }

  /** Finds where each field of a line lies. @returns false where the line is not as usual */
  #find(source: Uint8Array, start: number, end: number): boolean {
    const hostEnd = this.hasHostColumn ? wordEnd(source, start, end) : start;
    const clientStart = this.hasHostColumn ? hostEnd + 1 : start;
    const clientEnd = wordEnd(source, clientStart, end);
    // The identity is never known.
    if (hostEnd < 0 || clientEnd < 0 || source[clientEnd + 1] !== DASH || source[clientEnd + 2] !== SPACE) return false;
    const userEnd = wordEnd(source, clientEnd + 3, end);
    const timeStart = userEnd + 2;
    const methodStart = timeStart + TIME_BYTES + 3;
    if (userEnd < 0 || source[userEnd + 1] !== OPEN || source[clientEnd + 3] === OPEN || methodStart >= end)
      return false;
    if (source[methodStart - 3] !== CLOSE || source[methodStart - 2] !== SPACE || source[methodStart - 1] !== QUOTE)
      return false;
    this.#timeStart = timeStart;
    this.#found(HOST, start, hostEnd);
    this.#found(CLIENT, clientStart, clientEnd);
    this.#found(USER, clientEnd + 3, userEnd);
    const versionEnd = this.#findRequest(source, methodStart, end);
    return versionEnd >= 0 && source[versionEnd + 1] === SPACE && this.#findAnswer(source, versionEnd + 2, end);
  }

  /** @returns where the request line ends, or -1 */
  #findRequest(source: Uint8Array, methodStart: number, end: number): number {
    const methodEnd = upperEnd(source, methodStart, end);
    const pathStart = methodEnd + 1;
    if (methodEnd < 0 || source[pathStart] !== SLASH) return -1;
    let mark = -1;
    let targetEnd = pathStart;
    for (; targetEnd < end && source[targetEnd] !== SPACE; targetEnd += 1) {
      const byte = source[targetEnd]!;
      if (byte === QUOTE || byte === HASH) return -1;
      if (byte === QUESTION && mark < 0) mark = targetEnd;
    }
    const versionEnd = versionOf(source, targetEnd + 1, end);
    this.#found(METHOD, methodStart, methodEnd);
    this.#found(PATH, pathStart, mark < 0 ? targetEnd : mark);
    // Without a mark there is no query, and with nothing behind it an empty one.
    this.#found(QUERY, mark < 0 ? NONE : mark + 1, targetEnd);
    this.#found(VERSION, targetEnd + 6, versionEnd);
    return versionEnd;
  }

  /** Status, bytes, and what the combined format has besides. */
  #findAnswer(source: Uint8Array, statusStart: number, end: number): boolean {
    const statusEnd = statusStart + 3;
    const bytesStart = statusEnd + 1;
    if (numberEnd(source, statusStart, statusEnd) !== statusEnd || source[statusEnd] !== SPACE) return false;
    const bytesEnd = source[bytesStart] === DASH ? bytesStart + 1 : numberEnd(source, bytesStart, end);
    if (bytesEnd < 0) return false;
    this.#found(STATUS, statusStart, statusEnd);
    this.#found(BYTES, bytesStart, bytesEnd);
    if (!this.isCombined) return bytesEnd === end;
    const refererEnd = quotedEnd(source, bytesEnd, end);
    const agentEnd = refererEnd < 0 ? -1 : quotedEnd(source, refererEnd + 1, end);
    this.#found(REFERER, bytesEnd + 2, refererEnd);
    this.#found(AGENT, refererEnd + 3, agentEnd);
    return agentEnd >= 0 && agentEnd + 1 === end;
  }

  #found(field: number, start: number, end: number): void {
    this.#line[field * 2] = start;
    this.#line[field * 2 + 1] = end;
  }

  /** Lets all cells of a row wait. @returns how its fields are written, two bits each */
  #waitAll(row: number, source: Uint8Array): number {
    for (const field of [METHOD, PATH, VERSION, STATUS])
      this.#wait(field, this.#line[field * 2]!, this.#line[field * 2 + 1]!);
    let kinds = this.hasHostColumn ? this.#waitWord(HOST, source) : MISSING;
    kinds |= (this.#waitWord(CLIENT, source) << 2) | (this.#waitWord(USER, source) << 4);
    const [queryStart, queryEnd] = [this.#line[QUERY * 2]!, this.#line[QUERY * 2 + 1]!];
    const queryKind = queryStart < 0 ? MISSING : queryStart === queryEnd ? EMPTY : VALUE;
    this.#wait(QUERY, queryKind === VALUE ? queryStart : NONE, queryEnd);
    const bytesStart = this.#line[BYTES * 2]!;
    const hasBytes = source[bytesStart] !== DASH;
    // Nothing sent is nought bytes.
    if (!hasBytes) this.#columns[BYTES]!.setBytes(row, KINDS.json, NOUGHT, 0, 1);
    this.#wait(BYTES, hasBytes ? bytesStart : SET, this.#line[BYTES * 2 + 1]!);
    kinds |= (queryKind << 6) | ((hasBytes ? VALUE : MISSING) << 8);
    return this.isCombined
      ? kinds | (this.#waitWord(REFERER, source) << 10) | (this.#waitWord(AGENT, source) << 12)
      : kinds;
  }

  /** Notes where a cell of the row lies. */
  #wait(field: number, start: number, end: number): void {
    const bounds = this.#bounds[field]!;
    const at = (this.#numWaiting - 1) * 2;
    bounds[at] = start;
    bounds[at + 1] = end;
  }

  /** The same for a word that may be missing. @returns how it is written */
  #waitWord(field: number, source: Uint8Array): number {
    const [start, end] = [this.#line[field * 2]!, this.#line[field * 2 + 1]!];
    const kind = start === end ? EMPTY : end - start === 1 && source[start] === DASH ? MISSING : VALUE;
    this.#wait(field, kind === VALUE ? start : NONE, end);
    return kind;
  }

  /** Writes the cells that wait. Due before the bytes that were taken become somebody else's, and before a chunk ends. */
  flush(): void {
    const numCells = this.#numWaiting;
    if (numCells === 0) return;
    this.#numWaiting = 0;
    const source = this.#source!;
    FIELDS.forEach(({ kind }, field) => {
      if (this.#isWaiting(field))
        this.#columns[field]!.setMany(this.#firstRow, kind, source, this.#bounds[field]!, numCells);
    });
    if (this.#host && !this.hasHostColumn)
      for (let row = this.#firstRow; row < this.#firstRow + numCells; row += 1)
        this.#columns[HOST]!.setBytes(row, KINDS.list, this.#host, 0, this.#host.byteLength);
    this.#source = undefined;
  }

  /** Fields that the format has. */
  #isWaiting(field: number): boolean {
    return field === HOST ? this.hasHostColumn : this.isCombined || (field !== REFERER && field !== AGENT);
  }

  #useSegment(): void {
    if (this.#segment === this.writer.segment) return;
    this.#segment = this.writer.segment;
    this.#columns = FIELDS.map(({ name }) => this.writer.column(name));
    this.#written = this.writer.column(WRITTEN_COLUMN);
  }

  /** Requests of one minute share the text of their time but for two digits. */
  #readTime(source: Uint8Array, start: number): number | undefined {
    let at = 0;
    while (
      at < TIME_BYTES &&
      (source[start + at] === this.#timeBytes[at] || at === SECONDS_AT || at === SECONDS_AT + 1)
    )
      at += 1;
    if (at < TIME_BYTES) {
      this.#timeBytes.set(source.subarray(start, start + TIME_BYTES));
      this.#timeBytes.fill(ZERO, SECONDS_AT, SECONDS_AT + 2);
      const text = decoder.decode(this.#timeBytes);
      this.#minute = { atUnixMs: parseNcsaTime(text), zone: text.slice(-ZONE_BYTES) };
    }
    const seconds = source[start + SECONDS_AT]! - ZERO;
    const digit = source[start + SECONDS_AT + 1]! - ZERO;
    // A leap second is shown as the second that follows, and so is not written as it was.
    const isSecond = seconds >= 0 && seconds < 6 && digit >= 0 && digit <= 9;
    const { atUnixMs } = this.#minute;
    return atUnixMs === undefined || !isSecond ? undefined : atUnixMs + (seconds * 10 + digit) * 1000;
  }

  /** Says how the line is written; nearly all lines say the same as the one before. */
  #setWritten(row: number, kinds: number): void {
    const { zone } = this.#minute;
    if (kinds !== this.#lastKinds || zone !== this.#lastZone || this.#segment !== this.#lastSegment) {
      const key = `${kinds} ${zone}`;
      let template = this.#templates.get(key);
      if (!template) this.#templates.set(key, (template = this.#makeTemplate(kinds, zone)));
      this.#lastCode = this.#written.codeOf(KINDS.text, template, 0, template.byteLength);
      this.#lastKinds = kinds;
      this.#lastZone = zone;
      this.#lastSegment = this.#segment;
    }
    this.#written.setCode(row, this.#lastCode);
  }

  #makeTemplate(kinds: number, zone: string): DataView {
    const mark = (field: number): string => `${ATTRIBUTE_START}${FIELDS[field]!.name}${ATTRIBUTE_END}`;
    const word = (field: number, shift: number): string =>
      ({ [MISSING]: '-', [EMPTY]: '', [VALUE]: mark(field) })[(kinds >> shift) & 3]!;
    const query = { [MISSING]: '', [EMPTY]: '?', [VALUE]: `?${mark(QUERY)}` }[(kinds >> 6) & 3]!;
    const text = [
      TEMPLATE,
      this.hasHostColumn ? `${word(HOST, 0)} ` : '',
      `${word(CLIENT, 2)} - ${word(USER, 4)} [${TIME_MARK}${zone}] `,
      `"${mark(METHOD)} ${mark(PATH)}${query} HTTP/${mark(VERSION)}" ${mark(STATUS)} ${word(BYTES, 8)}`,
      this.isCombined ? ` "${word(REFERER, 10)}" "${word(AGENT, 12)}"` : '',
    ];
    return viewOf(encoder.encode(text.join('')));
  }
}

const NOUGHT = viewOf(Uint8Array.of(ZERO));
/** How a field is written: `-`, nothing, or its value. */
const MISSING = 0;
const EMPTY = 1;
const VALUE = 2;

/** The space behind a word of plain characters; -1 where there is none such. */
function wordEnd(source: Uint8Array, start: number, end: number): number {
  for (let at = start; at < end; at += 1) {
    const byte = source[at]!;
    if (byte === SPACE) return at === start ? -1 : at;
  }
  return -1;
}

/** The space behind a word of capital letters. */
function upperEnd(source: Uint8Array, start: number, end: number): number {
  let at = start;
  while (at < end && source[at]! >= 0x41 && source[at]! <= 0x5a) at += 1;
  return at > start && source[at] === SPACE ? at : -1;
}

/** Where `HTTP/1.1` and a quotation mark end, the mark not included. */
function versionOf(source: Uint8Array, start: number, end: number): number {
  if (start + 7 > end || source[start] !== 0x48 || source[start + 1] !== 0x54 || source[start + 2] !== 0x54) return -1;
  if (source[start + 3] !== 0x50 || source[start + 4] !== SLASH || !isDigit(source[start + 5]!)) return -1;
  if (source[start + 6] === QUOTE) return start + 6;
  return source[start + 6] === 0x2e && isDigit(source[start + 7]!) && source[start + 8] === QUOTE ? start + 8 : -1;
}

/** Where a number ends that is written as JSON writes it; -1 where it is none, or too long. */
function numberEnd(source: Uint8Array, start: number, end: number): number {
  let at = start;
  while (at < end && isDigit(source[at]!)) at += 1;
  const length = at - start;
  return length === 0 || length > 15 || (length > 1 && source[start] === ZERO) ? -1 : at;
}

function isDigit(byte: number): boolean {
  return byte >= ZERO && byte <= NINE;
}

/** The closing mark of ` "text"` in plain characters; -1 where it is not that. */
function quotedEnd(source: Uint8Array, start: number, end: number): number {
  if (source[start] !== SPACE || source[start + 1] !== QUOTE) return -1;
  const at = source.indexOf(QUOTE, start + 2);
  return at < end ? at : -1;
}

/** Whether all bytes are printable ASCII but the backslash. Four at a time, by what overflows into their highest bits. */
function isPlain(source: DataView, start: number, end: number): boolean {
  let at = start;
  for (; at + 4 <= end; at += 4) {
    const word = source.getInt32(at);
    const noBackslash = word ^ 0x5c5c5c5c;
    const noDelete = word ^ 0x7f7f7f7f;
    const strange =
      word |
      ((word - 0x20202020) & ~word) |
      ((noBackslash - 0x01010101) & ~noBackslash) |
      ((noDelete - 0x01010101) & ~noDelete);
    if ((strange & 0x80808080) !== 0) return false;
  }
  for (; at < end; at += 1) {
    const byte = source.getUint8(at);
    if (byte < SPACE || byte > 0x7e || byte === BACKSLASH) return false;
  }
  return true;
}
