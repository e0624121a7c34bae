/** What must be known of a log, in addition to its format, to read it. */

/** Which name of the log is a word or an attribute; several are joined with a space, as a date and a time. */
export type Mapping = { readonly [target: string]: string | readonly string[] };

export interface ReaderOptions {
  /** The host of every request that names none. */
  readonly host?: string;
  /** Which part of a line is what, for the format `pattern`. */
  readonly pattern?: string;
  readonly mapping?: Mapping;
  /** Every line is wrapped in a line of syslog (RFC 5424, RFC 3164). */
  readonly isInSyslog?: boolean;
  /** IANA time zone of times without one; UTC unless specified. */
  readonly zone?: string;
  /** Of the first line, if times have none (RFC 3164). */
  readonly year?: number;
  readonly maxLineBytes?: number;
}

/** The options given for a log contradict each other or do not fit it. */
export class LogOptionsError extends Error {
  /** @param hint what to do about it */
  constructor(
    message: string,
    readonly hint?: string,
  ) {
    super(message);
  }
}
