/** A position in a source text. */
export interface SourceLocation {
  readonly file: string;
  /** 1-based. */
  readonly line: number;
  /** 1-based, in UTF-16 units. */
  readonly column: number;
}

/** Everything that can be wrong with fences. The catalogue in docs/errors.md has a paragraph for each. */
export const DIAGNOSTIC_CODES = [
  'bad-character',
  'unterminated-text',
  'unexpected',
  'reserved-word',
  'bad-name',
  'bad-value',
  'bad-entry',
  'bad-pattern',
  'unknown-zone',
  'wrong-operator',
  'unknown-field',
  'unknown-name',
  'unset-tag',
  'duplicate-name',
  'duplicate-clause',
  'misplaced-clause',
  'missing-clause',
  'wrong-kind',
  'cyclic-list',
  'cyclic-application',
  'missing-file',
  'bad-page',
] as const;
export type DiagnosticCode = (typeof DIAGNOSTIC_CODES)[number];

/** Something a person got wrong, collected rather than thrown. */
export interface Diagnostic {
  readonly code: DiagnosticCode;
  /** One sentence: what was found, and what was expected. */
  readonly message: string;
  readonly place: SourceLocation;
  /** A full sentence that gives the fix, if there is one. */
  readonly hint?: string;
}

/** `FILE:LINE:COLUMN: message (hint)`, the form that editors can jump to. */
export function formatDiagnostic({ code, message, place, hint }: Diagnostic): string {
  return `${place.file}:${place.line}:${place.column}: ${message}${hint ? ` ${hint}` : ''} [${code}]`;
}

/** Orders by file (byte order of path), line and column. */
export function compareDiagnostics(a: Pick<Diagnostic, 'place'>, b: Pick<Diagnostic, 'place'>): number {
  if (a.place.file !== b.place.file) return a.place.file < b.place.file ? -1 : 1;
  return a.place.line - b.place.line || a.place.column - b.place.column;
}
