import fc from 'fast-check';
import { expect, it } from 'vitest';
import { withBounds } from '../bounds.js';
import { checkFences } from '../check/check-fences.js';
import { isStop } from '../decide/decision.js';
import { decide } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import { Program } from '../match/compile/program.js';
import type { LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { chunkOf } from '../test/chunk-of.js';
import { RecordedComparison } from './recorded.js';
import { ChunkReplay } from './replay-chunk.js';

const TEXT = `
gate shop inbound { hosts shop.example fences desk otherwise allow }
fence desk enforce {
  rule login block 451 when path = /login
  rule away redirect "https://else.example/" when path = /away
}
`;
const context = { rulebook: checkFences([{ path: 'f.fence', text: TEXT }], []).rulebook! };

const records = fc
  .array(
    fc.record({
      path: fc.constantFrom('/login', '/away', '/'),
      host: fc.constantFrom('shop.example', 'shop.example', 'other.example'),
      status: fc.constantFrom<number | string | null | undefined>(200, '200', 403, 429, 451, '429', null, undefined),
    }),
    { minLength: 1, maxLength: 40 },
  )
  .map((all) =>
    all.map(({ path, host, status }, index): LogRecord => ({
      line: index + 1,
      atUnixMs: index * 1000,
      attributes: {
        'http.request.header.host': [host],
        'url.path': path,
        ...(status === undefined ? {} : { 'http.response.status_code': status }),
      },
    })),
  );

it('what was recorded is compared with each decision', () => {
  fc.assert(
    fc.property(
      records,
      fc.constantFrom<number[]>([429, 451], [403]),
      fc.constantFrom(1, 3, 200),
      (log, stops, valueColumns) => {
        const rows = withBounds({ valueColumns }, () => chunkOf(log))!;
        const replay = new ChunkReplay(new Program(context));
        const { codes } = replay.judge([rows]);
        const comparison = new RecordedComparison(replay.table.rulings, () => undefined, stops);
        comparison.add(rows, codes);
        const tally = comparison.tally();
        const matrix: Record<string, Record<string, number>> = {};
        let [newlyPassed, newlyStopped] = [0, 0];
        for (const record of log) {
          const { outcome } = decide(context, normalizeRequest(record), new State());
          const status = record.attributes['http.response.status_code'];
          const recorded = status == null ? 'unknown' : stops.includes(Number(status)) ? 'stopped' : 'passed';
          const row = (matrix[recorded] ??= {});
          row[outcome] = (row[outcome] ?? 0) + 1;
          if (recorded === 'stopped' && !isStop(outcome)) newlyPassed += 1;
          if (recorded === 'passed' && isStop(outcome)) newlyStopped += 1;
        }
        expect(tally).toMatchObject({ requests: log.length, newlyPassed, newlyStopped, matrix });
        expect(tally.groups.reduce((sum, { requests }) => sum + requests, 0)).toBe(log.length);
        const first = tally.groups[0]!;
        const times = log.flatMap((record, row) => {
          let isIn = false;
          comparison.visit(rows, codes, (at, group) => (isIn ||= at === row && group === first));
          return isIn ? [record.atUnixMs] : [];
        });
        expect([times.length, times[0], times.at(-1)]).toEqual([first.requests, first.firstUnixMs, first.lastUnixMs]);
      },
    ),
    { numRuns: 100 },
  );
});
