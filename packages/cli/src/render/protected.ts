import type { ProtectedStop } from '@jadefence/contract';
import type { Streams } from '../output.js';
import { describeSide } from './side.js';
import { coloursFor, countOf, formatTime } from './text.js';

/** Requests of protected clients that a replay stops, before all else; empty where there are none. */
export function renderProtected(stops: readonly ProtectedStop[], streams: Streams): string {
  const colours = coloursFor(streams);
  return stops
    .map(({ list, requests, rows }) =>
      [
        colours.red(`${countOf(requests, 'request')} of protected clients (list ${list}) would be stopped:`),
        ...rows.map(
          (row) => `  ${formatTime(row.atUnixMs)}  ${row.client ?? '-'}  ${row.requested}  ${describeSide(row)}`,
        ),
        ...(requests > rows.length
          ? [`  and ${countOf(requests - rows.length, 'more')}`.replace(/mores$/, 'more')]
          : []),
        '',
        '',
      ].join('\n'),
    )
    .join('');
}
