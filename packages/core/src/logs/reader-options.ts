/** What must be known of a log, beside its format, to read it. */

/** Which name of a log's own stands for a word or an attribute; several are joined with a space, as a date and a time. */
export type Mapping = { readonly [target: string]: string | readonly string[] };

export interface ReaderOptions {
  /** The host of every request, for formats that have no column for it. */
  readonly host?: string;
  /** Which part of a line is what, for the format `pattern`. */
  readonly pattern?: string;
  readonly mapping?: Mapping;
  /** Every line stands in a line of syslog (RFC 5424, RFC 3164). */
  readonly isInSyslog?: boolean;
  /** IANA time zone of times that say none; UTC unless said. */
  readonly zone?: string;
  /** Of the first line, where times say none (RFC 3164). */
  readonly year?: number;
  readonly maxLineBytes?: number;
}

/** What was said about a log does not hold together, or does not fit it. */
export class LogOptionsError extends Error {
  /** @param hint what to do about it */
  constructor(
    message: string,
    readonly hint?: string,
  ) {
    super(message);
  }
}
