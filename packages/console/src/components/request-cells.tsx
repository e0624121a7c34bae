import { formatTime, zoneName } from '../format.js';

/** The columns of a request in a table: which it is, when, from whom, and for what. */
export const requestColumns = (): string[] => ['line', `time (${zoneName()})`, 'client', 'country', 'request'];

export function RequestCells({
  request: { line, atUnixMs, client, country, requested },
}: {
  request: {
    readonly line: number;
    readonly atUnixMs: number;
    readonly client: string | null;
    readonly country: string | null;
    readonly requested: string;
  };
}) {
  return (
    <>
      <td className="px-3 py-1.5 pl-4 text-muted">{line}</td>
      <td className="px-3 py-1.5 whitespace-nowrap">{formatTime(atUnixMs).slice(5)}</td>
      <td className="px-3 py-1.5 font-mono text-xs">{client ?? 'none'}</td>
      <td className="px-3 py-1.5">{country ?? 'unknown'}</td>
      <td className="max-w-72 truncate px-3 py-1.5 font-mono text-xs" title={requested}>
        {requested || '–'}
      </td>
    </>
  );
}
