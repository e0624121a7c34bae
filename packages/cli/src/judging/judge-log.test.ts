import { checkFences } from '@jadefence/core/check';
import type { EncodedChunk } from '@jadefence/core/columns';
import { LogImporter } from '@jadefence/core/parse-logs';
import type { Imported } from '@jadefence/files';
import { describe, expect, it } from 'vitest';
import { LogJudge } from './judge-log.js';

const { rulebook } = checkFences(
  [
    {
      path: 'a.fence',
      text: `gate shop inbound { hosts shop.example fences all otherwise allow }
fence all enforce { rule pace limit 2 per 10s by client when path under / }`,
    },
  ],
  [],
);

const lineAt = (second: number): string =>
  `shop.example 198.18.4.7 - - [10/Oct/2026:13:55:${String(second).padStart(2, '0')} +0000] "GET /${second} HTTP/1.1" 200 5 "-" "x"\n`;

function chunkOf(seconds: readonly number[], lineBefore: number): EncodedChunk {
  const importer = new LogImporter('combined-with-host', {}, () => undefined);
  // Empty lines count, so that the lines of each chunk follow those of the one before.
  importer.push(new TextEncoder().encode('\n'.repeat(lineBefore) + seconds.map(lineAt).join('')));
  return importer.end()[0]!;
}

/** Each printed request, and the totals. */
async function judge(chunks: readonly (readonly number[])[]): Promise<{ printed: string[]; log: LogJudge }> {
  async function* imported(): AsyncGenerator<Imported> {
    let lines = 0;
    for (const seconds of chunks) {
      yield { chunks: [chunkOf(seconds, lines)], rejected: [] };
      lines += seconds.length;
    }
  }
  const log = new LogJudge({ rulebook: rulebook! }, (record) => `${record['jade.line']} ${record['jade.outcome']}`);
  const printed: string[] = [];
  for await (const line of log.judgeFiles(imported())) printed.push(line);
  return { printed, log };
}

describe('rules that remember, over a log', () => {
  it('are judged in the order of time, whether its chunks are in that order or not', async () => {
    const inOrder = await judge([
      [1, 2],
      [3, 20],
      [21, 22],
    ]);
    expect(inOrder.printed).toEqual(['1 allowed', '2 allowed', '3 limited', '4 allowed', '5 allowed', '6 limited']);
    expect(inOrder.log.wasReordered).toBe(false);

    // The third chunk holds what came first, so what was judged until then is judged again.
    const outOfOrder = await judge([
      [3, 20],
      [21, 22],
      [1, 2],
    ]);
    expect(outOfOrder.printed).toEqual(['1 limited', '2 allowed', '3 allowed', '4 limited', '5 allowed', '6 allowed']);
    expect(outOfOrder.log.wasReordered).toBe(true);
    expect(outOfOrder.log.tally).toEqual(inOrder.log.tally);
  });

  it('are judged in the order of lines at equal times, also across chunks', async () => {
    const { printed, log } = await judge([
      [1, 5],
      [5, 5],
    ]);
    expect(printed).toEqual(['1 allowed', '2 allowed', '3 limited', '4 limited']);
    expect(log.wasReordered).toBe(false);
  });
});
