import type { DescribedChange } from '@jadefence/core/edit';
import type { Streams } from '../output.js';
import { coloursFor, formatMinute } from './text.js';

const SIGNS = { added: '+', removed: '-', changed: '~', moved: '>' } as const;

/** Changes in words: what, and below it what exactly. */
export function renderChanges(
  changes: readonly (DescribedChange & { readonly changedBy?: string | null; readonly changedAt?: string })[],
  streams: Streams,
): string {
  const colours = coloursFor(streams);
  const colourOf = { added: colours.green, removed: colours.red, changed: colours.yellow, moved: colours.cyan };
  return changes
    .map(({ kind, summary, details, changedBy, changedAt }) => {
      const author = changedAt ? ` (${changedBy ?? 'unknown'}, ${formatMinute(changedAt)} UTC)` : '';
      const head = colourOf[kind](`${SIGNS[kind]} ${summary}`);
      return [`${head}${author}`, ...details.map((detail) => `    ${detail}`)].join('\n');
    })
    .join('\n');
}
