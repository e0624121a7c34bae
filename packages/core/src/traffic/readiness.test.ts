import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { withBounds } from '../bounds.js';
import { checkFences } from '../check/check-fences.js';
import { isStop } from '../decide/decision.js';
import { decide } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import { Program } from '../match/compile/program.js';
import { ChunkReplay } from '../replay/replay-chunk.js';
import type { LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { chunkOf } from '../test/chunk-of.js';
import { assessReadiness, type Readiness } from './readiness-verdict.js';
import { TrialCounter } from './readiness.js';

const TEXT = `
list office addresses protected { 198.18.0.1 }
gate shop inbound { hosts shop.example fences first, watched, later otherwise allow }
fence first enforce { rule gone block when path = /gone }
fence watched trial {
  rule own trial block when path = /own
  rule staff allow when client = 198.18.0.9
  rule login block 451 when path = /login
  rule away redirect "https://else.example/" when path = /away
}
fence later enforce {
  rule early trial block when path = /early
  rule late block when path = /late
}
`;
const context = { rulebook: checkFences([{ path: 'f.fence', text: TEXT }], []).rulebook! };
const DAY = 86_400_000;

function assess(fence: string, logs: readonly (readonly LogRecord[])[]): Readiness {
  const counters = logs.map((log) => {
    const counter = new TrialCounter(context, fence);
    if (log.length === 0) return counter;
    const rows = chunkOf(log)!;
    const replay = new ChunkReplay(new Program(context));
    counter.add(rows, replay.judge([rows]).codes, replay.table.rulings);
    return counter;
  });
  return assessReadiness(
    context.rulebook.fences.find(({ name }) => name === fence)!,
    context.rulebook,
    counters,
  );
}

function request(at: number, client: string | undefined, path: string, user?: string): LogRecord {
  return {
    line: 1,
    atUnixMs: Date.UTC(2026, 9, 12) + at,
    attributes: {
      'http.request.header.host': ['shop.example'],
      'http.request.method': 'GET',
      'url.path': path,
      ...(client === undefined ? {} : { 'client.address': client }),
      ...(user === undefined ? {} : { 'user.name': [user] }),
    },
  };
}
const times = (count: number, make: (at: number) => LogRecord): LogRecord[] =>
  Array.from({ length: count }, (_, at) => make(at));

describe('a trial', () => {
  it('is untried without a request at its gates, and nothing of it is in trial where all of it acts', () => {
    expect(assess('watched', []).verdict).toBe('untried');
    expect(assess('watched', [[]]).verdict).toBe('untried');
    expect(assess('first', [[request(0, '198.18.0.2', '/gone')]]).verdict).toBe('nothing-in-trial');
  });

  it('is ready where those it would stop are neither protected, nor signed in, nor let through often', () => {
    const attack = times(40, (at) => request(at, '198.18.0.2', '/login'));
    const { verdict, reasons } = assess('watched', [[...attack, request(50, '198.18.0.9', '/')]]);
    expect([verdict, reasons[0]]).toEqual([
      'ready',
      'Of 41 requests at its gates it would stop 40 that pass today, of 1 client.',
    ]);
    expect(assess('watched', [attack])).toMatchObject({
      verdict: 'look',
      reasons: [
        'It would stop the only client whose requests pass today: look at logs with others.',
        expect.anything(),
      ],
    });
  });

  it('is to be looked at where a client is probably legitimate, and shows which and why', () => {
    const log = [
      request(0, '198.18.0.1', '/login'),
      request(0, '198.18.0.3', '/login', 'kari'),
      request(0, '198.18.0.4', '/login'),
      ...times(12, (at) => request(at, '198.18.0.4', '/')),
      request(0, '198.18.0.5', '/login'),
      ...times(4, (at) => request(at, '198.18.0.5', '/')),
    ];
    const { verdict, reasons, clients, numLegitimate } = assess('watched', [log]);
    expect(verdict).toBe('look');
    expect(reasons.slice(0, 2)).toEqual([
      'It would stop 1 client of the protected list office.',
      '3 clients of 4 that it would stop are probably legitimate: look at them first.',
    ]);
    expect(clients.map((one) => [one.client, one.reasons])).toEqual([
      ['198.18.0.1', ['It is of the protected list office.']],
      ['198.18.0.3', ['Signed in as kari.']],
      ['198.18.0.4', ['12 of its requests pass.']],
      ['198.18.0.5', []],
    ]);
    expect(numLegitimate).toBe(3);
  });

  it('shows a day that differs much from the one before', () => {
    const day = (number: number, stops: number) => [
      ...times(stops, (at) => request(number * DAY + at, `198.18.1.${at}`, '/login')),
      ...times(100 - stops, (at) => request(number * DAY + at, `198.18.2.${at}`, '/')),
    ];
    const { reasons, days } = assess('watched', [day(0, 10), day(1, 12), day(2, 60)]);
    expect(days.map(({ newlyStopped }) => newlyStopped)).toEqual([10, 12, 60]);
    expect(reasons).toContain('On 2026-10-14 it would stop 5 times the share of 2026-10-13.');
  });
});

it('what a trial would stop is what the interpreter decides, request by request', () => {
  const logs = fc.array(
    fc
      .array(
        fc.record({
          path: fc.constantFrom('/gone', '/own', '/login', '/away', '/early', '/late', '/'),
          client: fc.constantFrom('198.18.0.1', '198.18.0.9', '2001:db8::1', undefined),
          at: fc.integer({ min: 0, max: 3 * DAY }),
        }),
        { maxLength: 30 },
      )
      .map((all) => all.map(({ path, client, at }) => request(at, client, path))),
    { minLength: 1, maxLength: 3 },
  );
  fc.assert(
    fc.property(logs, fc.constantFrom('watched', 'later'), fc.constantFrom(1, 200), (all, fence, valueColumns) => {
      const found = withBounds({ valueColumns }, () => assess(fence, all));
      const clients = new Map<string, { newlyStopped: number; passing: number }>();
      const rules = new Map<string, number>();
      for (const record of all.flat()) {
        const decision = decide(context, normalizeRequest(record), new State());
        const would = decision.would.find((one) => one.fence === fence && one.rule !== 'own' && isStop(one.outcome));
        if (isStop(decision.outcome)) continue;
        if (would) rules.set(would.rule!, (rules.get(would.rule!) ?? 0) + 1);
        const client = record.attributes['client.address'] as string | undefined;
        if (client === undefined) continue;
        const one = clients.get(client) ?? { newlyStopped: 0, passing: 0 };
        one[would ? 'newlyStopped' : 'passing'] += 1;
        clients.set(client, one);
      }
      const stopped = [...clients].filter(([, { newlyStopped }]) => newlyStopped > 0);
      expect(
        Object.fromEntries(
          found.clients.map(({ client, newlyStopped, passing }) => [client, { newlyStopped, passing }]),
        ),
      ).toEqual(Object.fromEntries(stopped));
      expect(
        new Map(found.rules.flatMap((one) => (one.newlyStopped > 0 ? [[one.rule!, one.newlyStopped]] : []))),
      ).toEqual(rules);
      expect(found.requests).toBe(all.flat().length);
    }),
    { numRuns: 100 },
  );
});
