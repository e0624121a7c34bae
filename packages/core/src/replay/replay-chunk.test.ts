import fc from 'fast-check';
import { expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import type { Decision, Ruling } from '../decide/decision.js';
import { Program } from '../match/compile/program.js';
import type { Attributes, LogRecord } from '../request/record.js';
import { fenceText, repeatingLog } from '../test/arbitrary-fences.js';
import { chunkOf } from '../test/chunk-of.js';
import { ChunkReplay, isInSpan, judgeSpan, NOT_JUDGED } from './replay-chunk.js';
import { forEachDelayed } from './delays.js';
import { SequentialReplay } from '../test/replay.js';
import { orderByTime } from './time-order.js';

function rulingOf({ client: _client, country: _country, ...ruling }: Decision): Ruling {
  return ruling;
}

it('a span of chunks in any order gives the results of its requests one by one in the order of time', () => {
  const seen = { judged: 0, left: 0, outOfOrder: 0 };
  const bound = fc.option(fc.nat(), { freq: 2 });
  fc.assert(
    fc.property(
      fenceText,
      repeatingLog,
      fc.nat(20),
      bound,
      bound,
      fc.boolean(),
      (text, log, cut, from, to, isTurned) => {
        const judge = { rulebook: checkFences([{ path: 'f.fence', text }], []).rulebook! };
        const records = (isTurned ? log.toReversed() : log).map(({ t, attributes }, index): LogRecord => ({
          line: index + 1,
          atUnixMs: t,
          attributes: attributes as Attributes,
        }));
        const timeAt = (nth: number | null): number | null =>
          nth === null || records.length === 0 ? null : records[nth % records.length]!.atUnixMs;
        const span = { fromUnixMs: timeAt(from), toUnixMs: timeAt(to) };
        const chunks = [records.slice(0, cut), records.slice(cut)].flatMap((part) => chunkOf(part) ?? []);

        const replay = new ChunkReplay(new Program(judge));
        const item: unknown[] = [];
        for (const { chunks: numbers, sequence } of orderByTime(chunks.map((rows) => rows.timesUnixMs()))) {
          const requested = numbers.map((number) => chunks[number]!);
          if (sequence) seen.outOfOrder += 1;
          const judged = judgeSpan(replay, requested, sequence, span);
          const waits = new Map<number, readonly number[]>();
          forEachDelayed(judged, replay.table.rulings, (at, waitsMs) => waits.set(at, waitsMs));
          judged.codes.forEach((code, at) => {
            const { line } = requested[sequence ? sequence.chunkOf[at]! : 0]!.row(sequence ? sequence.rowOf[at]! : at);
            item.push([
              line,
              code === NOT_JUDGED ? 'not judged' : { ...replay.table.rulings[code], waitsMs: waits.get(at) },
            ]);
          });
        }

        const oneByOne = new SequentialReplay(judge);
        const expected = records
          .toSorted((a, b) => a.atUnixMs - b.atUnixMs)
          .map((record) => [
            record.line,
            isInSpan(span, record.atUnixMs) ? rulingOf(oneByOne.next(record).decision) : 'not judged',
          ]);
        expect(item).toEqual(expected);
        for (const [, ruling] of expected) seen[ruling === 'not judged' ? 'left' : 'judged'] += 1;
      },
    ),
    { numRuns: 200, seed: 9 },
  );
  for (const count of Object.values(seen)) expect(count).toBeGreaterThan(40);
});
