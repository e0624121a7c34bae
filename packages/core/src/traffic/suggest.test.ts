import fc from 'fast-check';
import { expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { isStop } from '../decide/decision.js';
import { decide } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import { Program } from '../match/compile/program.js';
import { ChunkReplay, NOT_JUDGED } from '../replay/replay-chunk.js';
import type { LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { chunkOf } from '../test/chunk-of.js';
import { coveringNetworks, holdingAny } from './covering-networks.js';
import { CHOSEN, OTHER, SPARED, type DecidedLog } from './decided-log.js';
import { suggestRules } from './suggest-rules.js';
import type { Suggestions } from './verify-proposals.js';

const gateText = (fences: string) => `gate shop inbound { hosts shop.example ${fences} otherwise allow }`;
const context = { rulebook: checkFences([{ path: 'f.fence', text: gateText('') }], []).rulebook! };

const STEP_MS = 20_000;

interface Line {
  readonly client: string;
  readonly path: string;
  readonly agent: string | undefined;
  readonly host: string;
  readonly purpose: number;
  readonly query?: string | null | undefined;
  /** Of a header. */
  readonly tool?: string | null | undefined;
  readonly atUnixMs?: number;
}

function recordOf({ client, path, agent, host, query, tool, atUnixMs }: Line, at: number): LogRecord {
  const attributes = {
    'client.address': client,
    'http.request.header.host': [host],
    'http.request.method': 'GET',
    'url.path': path,
    ...(agent === undefined ? {} : { 'user_agent.original': agent }),
    ...(query === undefined ? {} : { 'url.query': query }),
    ...(tool === undefined ? {} : { 'http.request.header.x-tool': tool === null ? null : [tool] }),
  };
  return { line: at + 1, atUnixMs: atUnixMs ?? at * STEP_MS, attributes };
}

/** @param from the first line that the replay judged */
async function suggest(lines: readonly Line[], from = 0): Promise<Suggestions> {
  const rows = chunkOf(lines.map(recordOf))!;
  const replay = new ChunkReplay(new Program(context));
  const { codes } = replay.judge([rows]);
  codes.fill(NOT_JUDGED, 0, from);
  const { rulings } = replay.table;
  const of = (wanted: number) =>
    new Map([[0, Uint32Array.from([...lines.keys()].filter((at) => lines[at]!.purpose === wanted))]]);
  const chunk = { chunk: 0, rows, codes };
  const log: DecidedLog = {
    context,
    rulings,
    headers: () => Promise.resolve(['x-tool']),
    async *chunks() {
      yield await Promise.resolve(chunk);
    },
    async *segments() {
      yield await Promise.resolve({ chunks: [chunk] });
    },
  };
  const { gates: _, ...suggestions } = await suggestRules(log, { chosen: of(CHOSEN), spared: of(SPARED) });
  return suggestions;
}

it('what a suggestion stops is what such a rule stops, by the interpreter', async () => {
  const line = fc.record({
    client: fc.constantFrom('198.18.0.1', '198.18.0.7', '198.18.9.1', '2001:db8::1'),
    path: fc.constantFrom('/', '/login', '/login/again', '/a b', '/api/x'),
    agent: fc.constantFrom('quick/1', 'browser/2 "plus"', undefined),
    host: fc.constantFrom('shop.example', 'www.shop.example', 'else.example'),
    query: fc.constantFrom(undefined, null, 'x=1', 'q+r=2&x', '&&x=3&x=4'),
    tool: fc.constantFrom(undefined, null, 'yes'),
    purpose: fc.constantFrom(OTHER, CHOSEN, SPARED),
  });
  const proposed = new Set<string>();
  await fc.assert(
    fc.asyncProperty(fc.array(line, { minLength: 1, maxLength: 40 }), fc.constantFrom(0, 0, 5), async (lines, from) => {
      const { rules } = await suggest(lines, from);
      for (const { action, condition, stopped, collateral } of rules) {
        proposed.add(action.split(' ')[0]!);
        for (const field of ['query', 'header']) if (condition.includes(field)) proposed.add(field);
        const text = `${gateText('fences f')}\nfence f enforce { rule r ${action} when ${condition} }`;
        const { rulebook, diagnostics } = checkFences([{ path: 'f.fence', text }], []);
        expect(diagnostics).toEqual([]);
        const state = new State();
        const blocked = lines.filter(
          (one, at) =>
            at >= from && isStop(decide({ rulebook: rulebook! }, normalizeRequest(recordOf(one, at)), state).outcome),
        );
        expect([stopped, collateral]).toEqual(
          [CHOSEN, SPARED].map((wanted) => blocked.filter(({ purpose }) => purpose === wanted).length),
        );
      }
    }),
    { numRuns: 150 },
  );
  expect(proposed).toEqual(new Set(['block', 'limit', 'query', 'header']));
});

it('the shortest rule that stops what was chosen and nothing besides is first; without one nothing is suggested', async () => {
  const visitor = (at: number, more: Partial<Line> = {}): Line => ({
    client: `198.18.${at % 50}.${at % 7}`,
    path: `/page-${at % 11}`,
    agent: `browser/${at % 5}`,
    host: 'shop.example',
    purpose: SPARED,
    ...more,
  });
  const visitors = Array.from({ length: 500 }, (_, at) => visitor(at));
  const attack = Array.from({ length: 60 }, (_, at) =>
    visitor(at, { path: '/page-3', agent: 'browser/2', client: `198.19.${at}.9`, purpose: CHOSEN }),
  );
  expect((await suggest([...visitors, ...attack])).rules[0]).toMatchObject({
    condition: 'client in 198.19.0.0/18',
    stopped: 60,
    collateral: 0,
  });
  const hidden = attack.map((one, at) => ({ ...one, client: `198.18.${at % 50}.${100 + at}` }));
  expect((await suggest([...visitors, ...hidden])).rules[0]).toMatchObject({
    condition: 'path = /page-3 and agent = "browser/2"',
    stopped: 60,
  });
  const random = visitors.map((one, at) => ({ ...one, purpose: at % 9 === 0 ? CHOSEN : SPARED }));
  expect((await suggest(random)).rules).toEqual([]);
  expect((await suggest(visitors)).rules).toEqual([]);

  // One client comes often, others with the same requests do not.
  const eager = Array.from({ length: 40 }, (_, at) =>
    visitor(at, {
      path: '/page-3',
      agent: 'browser/2',
      client: `198.18.${at % 2}.1`,
      atUnixMs: at * 500,
      purpose: CHOSEN,
    }),
  );
  const calm = visitors.map((one, at) => ({
    ...one,
    path: '/page-3',
    agent: 'browser/2',
    atUnixMs: (at + 10) * 60_000,
  }));
  const [first] = (await suggest([...eager, ...calm].sort((a, b) => a.atUnixMs! - b.atUnixMs!))).rules;
  expect(first).toMatchObject({ action: 'limit 1 per 1m by client', condition: 'always', stopped: 38, collateral: 0 });
});

it('networks of any length hold what was chosen and hardly anything else, found as by counting', () => {
  const octet = fc.constantFrom(0, 1, 3, 9, 200, 255);
  const address = fc.oneof(
    fc.tuple(octet, octet).map(([third, last]) => `198.18.${third}.${last}`),
    octet.map((last) => `2001:db8::${last.toString(16)}`),
  );
  const client = fc.record({
    text: address,
    chosen: fc.integer({ min: 0, max: 3 }),
    spared: fc.integer({ min: 0, max: 3 }),
  });
  const clients = fc.uniqueArray(client, { maxLength: 24, selector: ({ text }) => text });
  fc.assert(
    fc.property(clients, (all) => {
      const networks = coveringNetworks(all);
      const sum = (of: 'chosen' | 'spared', some: readonly (typeof all)[number][]) =>
        some.reduce((total, one) => total + one[of], 0);
      for (const { text, chosen, spared } of networks) {
        const held = all.filter((one) => holdingAny([text])(one.text));
        expect([chosen, spared]).toEqual([sum('chosen', held), sum('spared', held)]);
        // Others are in it only where it is one address.
        expect(spared === 0 || !text.includes('/')).toBe(true);
        const half = text.includes('/') && [`${text.split('/')[0]}/${Number(text.split('/')[1]) + 1}`];
        if (half) expect(held.filter((one) => one.chosen > 0).every((one) => holdingAny(half)(one.text))).toBe(false);
      }
      const chosen = all.filter((one) => one.chosen > 0);
      expect(chosen.every((one) => holdingAny(networks.map(({ text }) => text))(one.text))).toBe(true);
      expect(sum('chosen', all)).toBe(networks.reduce((total, one) => total + one.chosen, 0));
    }),
    { numRuns: 1000 },
  );
});
