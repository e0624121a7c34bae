import type { EntryReport } from '@jadefence/core/edit';
import { countOf, formatCount } from '../../format.js';

const RESULT_STYLES: Record<EntryReport['result'], string> = {
  'added': 'text-allowed',
  'removed': 'text-allowed',
  'already-there': 'text-muted',
  'not-there': 'text-muted',
  'invalid': 'text-blocked',
};
const SHOWN_ENTRIES = 200;

/** The lines of a text; a line end behind the last begins no other. */
export function linesOf(text: string): string[] {
  return text.replace(/\r?\n$/, '').split(/\r?\n/);
}

/** What became of each line of a bulk edit: those that were refused first, since they need action. */
export function EntryReports({ entries }: { entries: readonly EntryReport[] }) {
  if (entries.length === 0) return null;
  const refused = entries.filter(({ result }) => result === 'invalid');
  const ordered = [...refused, ...entries.filter(({ result }) => result !== 'invalid')];
  return (
    <div>
      {refused.length > 0 && (
        <p role="alert" className="text-blocked">
          {countOf(refused.length, 'entry was', 'entries were')} refused.
        </p>
      )}
      <p role="status">{summarize(entries)}</p>
      <ul aria-label="What became of each line" className="max-h-80 overflow-auto">
        {ordered.slice(0, SHOWN_ENTRIES).map(({ line, text: entry, result, note }) => (
          <li key={`${line}:${entry}`}>
            <span className="mr-2 inline-block w-8 text-right text-muted tabular-nums">{line}</span>
            <span className={RESULT_STYLES[result]}>{result.replace('-', ' ')}</span>:{' '}
            <span className="font-mono break-all">{entry}</span>
            {note && <span className="text-muted"> ({note})</span>}
          </li>
        ))}
      </ul>
      {ordered.length > SHOWN_ENTRIES && (
        <p className="text-muted">and {countOf(ordered.length - SHOWN_ENTRIES, 'more line')}</p>
      )}
    </div>
  );
}

/** `19,998 added, 2 already there.` */
function summarize(entries: readonly EntryReport[]): string {
  const counts = new Map<string, number>();
  for (const { result } of entries) counts.set(result, (counts.get(result) ?? 0) + 1);
  return `${[...counts].map(([result, count]) => `${formatCount(count)} ${result.replace('-', ' ')}`).join(', ')}.`;
}
