/** Plain lines of the NCSA formats between their two steps: found in the bytes, and not yet in columns. */
import { KINDS } from '../columns/column.js';

/** The fields of a line, in the order in which their cells stand. */
export const FIELDS = [
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
export const [HOST, CLIENT, USER, METHOD, PATH, QUERY, VERSION, STATUS, BYTES, REFERER, AGENT] = [
  0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10,
] as const;

/** Words of a cell: from where to where its bytes lie, and their hash. */
export const CELL_WORDS = 3;
export const ROW_WORDS = FIELDS.length * CELL_WORDS;
/** Instead of where a cell begins: it is none, or it is nought bytes that were written as a dash. */
export const NONE = -1;
export const NOUGHT = -2;

/** How a field is written: `-`, nothing, or its value. */
export const MISSING = 0;
export const EMPTY = 1;
export const VALUE = 2;
/** Where the two bits of a field stand that may be missing, in the shape of a line, and where its zone. */
export const SHAPE_BITS = {
  host: 0,
  client: 2,
  user: 4,
  query: 6,
  bytes: 8,
  referer: 10,
  agent: 12,
  zone: 14,
} as const;

/** What an NCSA format has. */
export interface NcsaShape {
  readonly isCombined: boolean;
  readonly hasHost: boolean;
}

/** Lines that were found to be as usual. Whoever gets them may hand their buffers to another thread. */
export interface PlainLines {
  readonly numRows: number;
  readonly source: Uint8Array;
  /** By row. */
  readonly lines: Float64Array;
  readonly timesUnixMs: Float64Array;
  /** By row, how it is written: see `SHAPE_BITS`. */
  readonly shapes: Int32Array;
  /** Of the times, as ` +0200`, by the number in the shapes. */
  readonly zones: readonly string[];
  /** By row, the kind of the referer: a list of one text, or a URL of the host, of which its cell has what follows that. */
  readonly refererKinds: Uint8Array;
  /** By row and field. */
  readonly cells: Int32Array;
}
