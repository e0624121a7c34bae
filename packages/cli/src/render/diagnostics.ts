import { formatDiagnostic, type Diagnostic } from '@jadefence/core/language';

/** So many are printed; a malformed list has hundreds of thousands. */
const MAX_SHOWN = 100;

/** A line for each of the first diagnostics, and one that counts the others. */
export function describeDiagnostics(diagnostics: readonly Diagnostic[]): string[] {
  const lines = diagnostics.slice(0, MAX_SHOWN).map(formatDiagnostic);
  const numOthers = diagnostics.length - lines.length;
  return numOthers > 0 ? [...lines, `... and ${numOthers.toLocaleString('en')} more.`] : lines;
}

/** Warnings as they are printed with the output of a command. */
export function describeWarnings(warnings: readonly Diagnostic[]): string[] {
  return describeDiagnostics(warnings).map((line) => `warning: ${line}`);
}
