/**
 * Lines of the NCSA formats in their bytes, without a string a line. Only lines as servers write them nearly always are
 * taken; whatever else a line may be is left to the reader of text, which says what it means.
 */
import { grownBytes, grownFloats, grownWords } from '../columns/grown.js';
import { KINDS, OWN_SCHEMES } from '../columns/column.js';
import { isHostEnd } from '../columns/segment-writer.js';
import { hashOf } from '../columns/text-dictionary.js';
import { parseNcsaTime } from '../request/time.js';
import { joinBytes, type Line } from './lines.js';
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
  NONE,
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

const SPACE = 0x20;
const QUOTE = 0x22;
const DASH = 0x2d;
const SLASH = 0x2f;
const ZERO = 0x30;
const NINE = 0x39;
const QUESTION = 0x3f;
const HASH = 0x23;
const BACKSLASH = 0x5c;
const COLON = 0x3a;
const LETTER_H = 0x68;
const LETTER_P = 0x70;
const OPEN = 0x5b;
const CLOSE = 0x5d;
/** `10/Oct/2026:13:55:36 +0200` */
const TIME_BYTES = 26;
const ZONE_BYTES = 6;
/** Where the seconds stand in a time. */
const SECONDS_AT = 18;

const FIRST_ROWS = 1024;
const KINDS_OF_FIELDS: readonly number[] = FIELDS.map(({ kind }) => kind);
const decoder = new TextDecoder();

export class NcsaLines {
  #room = FIRST_ROWS;
  #lines = new Float64Array();
  #times = new Float64Array();
  #shapes = new Int32Array();
  #refererKinds = new Uint8Array();
  #cells = new Int32Array();
  #zones: string[] = [];
  /** Lines that began in a piece before: they follow the bytes of the piece. */
  #carried: Uint8Array[] = [];
  #carriedBytes = 0;
  /** Lines that were taken of this piece. */
  numRows = 0;
  /** Of the line that is read: its bytes, how far from there they will lie in the end, and where its cells begin. */
  #view: DataView = new DataView(new ArrayBuffer(0));
  #viewed: Uint8Array | undefined;
  #shift = 0;
  #at = 0;
  #shape = 0;
  #refererKind: number = KINDS.list;
  /** The text of a time in the minute that was read last. */
  readonly #minute = new DataView(new ArrayBuffer(TIME_BYTES));
  #minuteUnixMs: number | undefined;
  #zone = 0;

  constructor(private readonly format: NcsaShape) {}

  /**
   * Takes a line as a row.
   * @param piece the bytes that are read; a line that began before them has bytes of its own
   * @returns false where the line is not as usual; then nothing is taken
   */
  take({ bytes, start, end, number }: Line, piece: Uint8Array): boolean {
    if (bytes !== this.#viewed) {
      this.#viewed = bytes;
      this.#view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    }
    if (this.numRows === this.#lines.length) this.#makeRoom();
    this.#shift = bytes === piece ? 0 : piece.length + this.#carriedBytes - start;
    this.#at = this.numRows * ROW_WORDS;
    this.#shape = 0;
    const timeStart = this.#find(bytes, start, end);
    const atUnixMs = timeStart < 0 ? undefined : this.#readTime(bytes, this.#view, timeStart);
    if (atUnixMs === undefined) return false;
    if (bytes !== piece) this.#carry(bytes.slice(start, end));
    this.#lines[this.numRows] = number;
    this.#times[this.numRows] = atUnixMs;
    this.#shapes[this.numRows] = this.#shape | (this.#zone << SHAPE_BITS.zone);
    this.#refererKinds[this.numRows] = this.#refererKind;
    this.numRows += 1;
    return true;
  }

  /** Hands over the lines of a piece, which stay as they are until the next line is taken. */
  taken(piece: Uint8Array): PlainLines | undefined {
    const { numRows } = this;
    if (numRows === 0) return undefined;
    const plain = {
      numRows,
      source: this.#carriedBytes === 0 ? piece : joinBytes([piece, ...this.#carried]),
      lines: this.#lines,
      timesUnixMs: this.#times,
      shapes: this.#shapes,
      zones: this.#zones,
      refererKinds: this.#refererKinds,
      cells: this.#cells,
    };
    this.numRows = 0;
    this.#carried = [];
    this.#carriedBytes = 0;
    return plain;
  }

  #carry(bytes: Uint8Array): void {
    this.#carried.push(bytes);
    this.#carriedBytes += bytes.length;
  }

  /** Makes room for more rows, or for as many again where the buffers were handed to another thread. */
  #makeRoom(): void {
    if (this.#lines.length > 0) {
      this.#room *= 2;
      this.#lines = grownFloats(this.#lines);
      this.#times = grownFloats(this.#times);
      this.#shapes = grownWords(this.#shapes);
      this.#refererKinds = grownBytes(this.#refererKinds);
      this.#cells = grownWords(this.#cells);
      return;
    }
    this.#lines = new Float64Array(this.#room);
    this.#times = new Float64Array(this.#room);
    this.#shapes = new Int32Array(this.#room);
    this.#refererKinds = new Uint8Array(this.#room);
    this.#cells = new Int32Array(this.#room * ROW_WORDS);
  }

  /** Finds each field of a line. @returns where its time begins, or -1 where the line is not as usual */
  #find(source: Uint8Array, start: number, end: number): number {
    const { hasHost } = this.format;
    const hostEnd = hasHost ? wordEnd(source, start, end) : start;
    const clientStart = hasHost ? hostEnd + 1 : start;
    const clientEnd = wordEnd(source, clientStart, end);
    // The identity is never known.
    if (hostEnd < 0 || clientEnd < 0 || source[clientEnd + 1] !== DASH || source[clientEnd + 2] !== SPACE) return -1;
    const userEnd = wordEnd(source, clientEnd + 3, end);
    const timeStart = userEnd + 2;
    const methodStart = timeStart + TIME_BYTES + 3;
    if (userEnd < 0 || source[userEnd + 1] !== OPEN || source[clientEnd + 3] === OPEN || methodStart >= end) return -1;
    if (source[methodStart - 3] !== CLOSE || source[methodStart - 2] !== SPACE || source[methodStart - 1] !== QUOTE)
      return -1;
    if (hasHost) this.#word(HOST, SHAPE_BITS.host, source, start, hostEnd);
    this.#word(CLIENT, SHAPE_BITS.client, source, clientStart, clientEnd);
    this.#word(USER, SHAPE_BITS.user, source, clientEnd + 3, userEnd);
    const versionEnd = this.#findRequest(source, methodStart, end);
    const isUsual =
      versionEnd >= 0 && source[versionEnd + 1] === SPACE && this.#findAnswer(source, versionEnd + 2, end);
    return isUsual ? timeStart : -1;
  }

  /** @returns where the request line ends, or -1 */
  #findRequest(source: Uint8Array, methodStart: number, end: number): number {
    const methodEnd = upperEnd(source, methodStart, end);
    const pathStart = methodEnd + 1;
    if (methodEnd < 0 || source[pathStart] !== SLASH) return -1;
    let mark = -1;
    let targetEnd = pathStart;
    for (; targetEnd < end; targetEnd += 1) {
      const kind = CLASSES[source[targetEnd]!]!;
      if (kind === WORD) continue;
      if (kind !== TARGET_END || source[targetEnd] === HASH) break;
      if (mark < 0) mark = targetEnd;
    }
    if (source[targetEnd] !== SPACE) return -1;
    const versionEnd = versionOf(source, targetEnd + 1, end);
    if (versionEnd < 0) return -1;
    this.#value(METHOD, methodStart, methodEnd);
    this.#value(PATH, pathStart, mark < 0 ? targetEnd : mark);
    this.#value(VERSION, targetEnd + 6, versionEnd);
    // Without a mark there is no query, and with nothing behind it an empty one.
    const queryKind = mark < 0 ? MISSING : mark + 1 === targetEnd ? EMPTY : VALUE;
    this.#shape |= queryKind << SHAPE_BITS.query;
    if (queryKind === VALUE) this.#value(QUERY, mark + 1, targetEnd);
    else this.#none(QUERY, NONE);
    return versionEnd;
  }

  /** Status, bytes, and what the combined format has besides. */
  #findAnswer(source: Uint8Array, statusStart: number, end: number): boolean {
    const statusEnd = statusStart + 3;
    const bytesStart = statusEnd + 1;
    if (numberEnd(source, statusStart, statusEnd) !== statusEnd || source[statusEnd] !== SPACE) return false;
    const hasBytes = source[bytesStart] !== DASH;
    const bytesEnd = hasBytes ? numberEnd(source, bytesStart, end) : bytesStart + 1;
    if (bytesEnd < 0) return false;
    this.#value(STATUS, statusStart, statusEnd);
    this.#shape |= (hasBytes ? VALUE : MISSING) << SHAPE_BITS.bytes;
    // Nothing sent is nought bytes.
    if (hasBytes) this.#value(BYTES, bytesStart, bytesEnd);
    else this.#none(BYTES, NOUGHT);
    if (!this.format.isCombined) return bytesEnd === end;
    const refererEnd = quotedEnd(source, bytesEnd, end);
    const agentEnd = refererEnd < 0 ? -1 : quotedEnd(source, refererEnd + 1, end);
    if (agentEnd < 0 || agentEnd + 1 !== end) return false;
    this.#findReferer(source, bytesEnd + 2, refererEnd);
    this.#word(AGENT, SHAPE_BITS.agent, source, refererEnd + 3, agentEnd);
    return true;
  }

  /** Of a URL of the host only what follows that is kept. */
  #findReferer(source: Uint8Array, start: number, end: number): void {
    const kind = this.format.hasHost ? this.#ownKind(source, start, end) : KINDS.list;
    this.#refererKind = kind;
    if (kind === KINDS.list) {
      this.#word(REFERER, SHAPE_BITS.referer, source, start, end);
      return;
    }
    this.#shape |= VALUE << SHAPE_BITS.referer;
    const hostCell = this.#at + HOST * CELL_WORDS;
    const hostBytes = this.#cells[hostCell + 1]! - this.#cells[hostCell]!;
    this.#value(REFERER, start + OWN_SCHEMES[kind].length + hostBytes, end, kind);
  }

  #ownKind(source: Uint8Array, start: number, end: number): keyof typeof OWN_SCHEMES | typeof KINDS.list {
    if (source[start] !== LETTER_H || source[start + 3] !== LETTER_P) return KINDS.list;
    const kind = source[start + 4] === COLON ? KINDS.ownHttp : KINDS.ownHttps;
    const scheme = OWN_SCHEMES[kind];
    const hostCell = this.#at + HOST * CELL_WORDS;
    const hostStart = this.#cells[hostCell]! - this.#shift;
    const hostBytes = this.#cells[hostCell + 1]! - this.#cells[hostCell]!;
    const rest = start + scheme.length + hostBytes;
    if (this.#cells[hostCell]! < 0 || rest > end || (rest < end && !isHostEnd(source[rest]!))) return KINDS.list;
    for (let at = 0; at < scheme.length; at += 1) if (source[start + at] !== scheme.charCodeAt(at)) return KINDS.list;
    for (let at = 0, other = start + scheme.length; at < hostBytes; at += 1, other += 1)
      if (source[hostStart + at] !== source[other]) return KINDS.list;
    return kind;
  }

  /** A word that may be missing. */
  #word(field: number, bits: number, source: Uint8Array, start: number, end: number): void {
    const kind = start === end ? EMPTY : end - start === 1 && source[start] === DASH ? MISSING : VALUE;
    this.#shape |= kind << bits;
    if (kind === VALUE) this.#value(field, start, end);
    else this.#none(field, NONE);
  }

  #value(field: number, start: number, end: number, kind = KINDS_OF_FIELDS[field]!): void {
    const at = this.#at + field * CELL_WORDS;
    const cells = this.#cells;
    cells[at] = start + this.#shift;
    cells[at + 1] = end + this.#shift;
    cells[at + 2] = hashOf(kind, this.#view, start, end);
  }

  #none(field: number, instead: number): void {
    this.#cells[this.#at + field * CELL_WORDS] = instead;
  }

  /** Requests of one minute share the text of their time but for two digits. */
  #readTime(source: Uint8Array, view: DataView, start: number): number | undefined {
    const minute = this.#minute;
    const isSameMinute =
      view.getInt32(start, true) === minute.getInt32(0, true) &&
      view.getInt32(start + 4, true) === minute.getInt32(4, true) &&
      view.getInt32(start + 8, true) === minute.getInt32(8, true) &&
      view.getInt32(start + 12, true) === minute.getInt32(12, true) &&
      view.getInt16(start + 16, true) === minute.getInt16(16, true) &&
      view.getInt32(start + 20, true) === minute.getInt32(20, true) &&
      view.getInt16(start + 24, true) === minute.getInt16(24, true);
    if (!isSameMinute) this.#readMinute(source.subarray(start, start + TIME_BYTES));
    const seconds = source[start + SECONDS_AT]! - ZERO;
    const digit = source[start + SECONDS_AT + 1]! - ZERO;
    // A leap second is shown as the second that follows, and so is not written as it was.
    const isSecond = seconds >= 0 && seconds < 6 && digit >= 0 && digit <= 9;
    const minuteUnixMs = this.#minuteUnixMs;
    return minuteUnixMs === undefined || !isSecond ? undefined : minuteUnixMs + (seconds * 10 + digit) * 1000;
  }

  #readMinute(time: Uint8Array): void {
    const bytes = new Uint8Array(this.#minute.buffer);
    bytes.set(time);
    bytes.fill(ZERO, SECONDS_AT, SECONDS_AT + 2);
    const text = decoder.decode(bytes);
    const zone = text.slice(-ZONE_BYTES);
    this.#minuteUnixMs = parseNcsaTime(text);
    if (this.#minuteUnixMs === undefined) return;
    this.#zone = this.#zones.indexOf(zone);
    if (this.#zone < 0) this.#zone = this.#zones.push(zone) - 1;
  }
}

/** What a byte may be: a character of a word, a space, or what ends the path of a target and is one, too (odd, as they are). */
const [WORD, GAP, TARGET_END] = [1, 2, 3];
/** By byte. All that is not printable ASCII, quotation marks and backslashes end everything. */
const CLASSES = Uint8Array.from({ length: 256 }, (_, byte) => {
  if (byte < SPACE || byte > 0x7e || byte === QUOTE || byte === BACKSLASH) return 0;
  return byte === SPACE ? GAP : byte === QUESTION || byte === HASH ? TARGET_END : WORD;
});

/** The space behind a word of plain characters; -1 where there is none such. */
function wordEnd(source: Uint8Array, start: number, end: number): number {
  let at = start;
  while (at < end && (CLASSES[source[at]!]! & WORD) !== 0) at += 1;
  return at > start && at < end && source[at] === SPACE ? at : -1;
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
  let at = start + 2;
  while (at < end && CLASSES[source[at]!] !== 0) at += 1;
  return at < end && source[at] === QUOTE ? at : -1;
}
