/** Plain lines of the NCSA formats between their two steps: found in the bytes, and not yet in columns. */
import type { LinesInBytes } from '../../columns/column-writer.js';
import { KINDS } from '../../columns/column.js';
import type { ReaderOptions } from '../lines/reader-options.js';
import type { LogFormat } from '../lines/line-parser.js';

/** The fields of a line, in the order of their cells. Referers of the same host have another kind. */
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

/** What an NCSA format has. */
export interface NcsaShape {
  readonly isCombined: boolean;
  readonly hasHost: boolean;
}

/** What an NCSA format has, where lines of it are read in their bytes. */
export function ncsaShapeOf(format: LogFormat, { isInSyslog, host }: ReaderOptions): NcsaShape | undefined {
  const shape = isInSyslog ? undefined : NCSA_SHAPES[format];
  // A host given in addition to the column is for the lines without one, which are then read one by one.
  return shape?.hasHost && host !== undefined ? undefined : shape;
}

const NCSA_SHAPES: Partial<Record<LogFormat, NcsaShape>> = {
  'combined': { isCombined: true, hasHost: false },
  'combined-with-host': { isCombined: true, hasHost: true },
  'common': { isCombined: false, hasHost: false },
  'common-with-host': { isCombined: false, hasHost: true },
};

/** Lines that were found to be well-formed. */
export interface ParsedRows extends LinesInBytes {
  /** By row. */
  readonly numbers: Float64Array;
  readonly timesUnixMs: Float64Array;
  /** By row, how it is written: two bits for each field that may be missing, then its zone. */
  readonly shapes: Int32Array;
  /** Of the times, as ` +0200`, by the number in the shapes. */
  readonly zones: readonly string[];
  /** Where the log has several files: their names, and by row the number of one. */
  readonly files?: { readonly names: readonly string[]; readonly ofRows: Int32Array };
}
