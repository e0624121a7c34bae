import type { ChangedRequests, MeaningChanges, ReplayPolicy, ServiceClient } from '@jadefence/contract';
import type { Streams } from '../output.js';
import { coloursFor, countOf } from './text.js';

/** How many requests of a log a region holds. */
interface Counted extends ChangedRequests {
  readonly requests?: {
    readonly log: number;
    readonly name: string;
    readonly matching: number;
    readonly unknown: number;
  };
}

export interface CountedChanges extends Omit<MeaningChanges, 'regions'> {
  readonly regions: readonly Counted[];
}

/** Of more regions it is not counted how many requests of a log they hold. */
const MAX_COUNTED = 20;

/** Counts the requests of the latest log, where a rule can find them. @param against what the changes led to */
export async function countRequests(
  client: ServiceClient,
  changes: MeaningChanges,
  against: ReplayPolicy = 'draft',
): Promise<CountedChanges> {
  const logs = await client.logs({ offset: 0, limit: 5 });
  const regions = await Promise.all(
    changes.regions.map(async (region, at): Promise<Counted> => {
      const { rule: text, fence } = region;
      if (text === undefined || fence === undefined || at >= MAX_COUNTED) return region;
      const counts = await client.countInLatest(logs, { text, fence, against });
      if (!counts) return region;
      const { log, matching, unknown } = counts;
      return { ...region, requests: { log: log.id, name: log.name, matching, unknown } };
    }),
  );
  return { ...changes, regions };
}

/** A paragraph for each kind of requests that changes, with one that was run by both. */
export function renderMeaning({ regions, undecided }: CountedChanges, streams: Streams): string {
  const colours = coloursFor(streams);
  const lines = regions.map(({ sentence, example, requests }) =>
    [
      `${colours.yellow('~')} ${sentence}`,
      ...(requests
        ? [
            `    ${countOf(requests.matching, 'request')} of the log ${requests.name}${requests.unknown > 0 ? `, and perhaps ${requests.unknown} more` : ''}`,
          ]
        : []),
      `    For example: ${JSON.stringify(example)}`,
    ].join('\n'),
  );
  const open = undecided.map(
    ({ gate, reason }) => `Not decided${gate === undefined ? '' : ` at the gate ${gate}`}: ${reason}.`,
  );
  const none = regions.length === 0 && undecided.length === 0 ? ['Nothing changes for any request.'] : [];
  return [...lines, ...open, ...none].join('\n');
}
