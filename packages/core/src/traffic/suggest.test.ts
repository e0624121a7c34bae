import fc from 'fast-check';
import { expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { decide } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import { Program } from '../match/compile/program.js';
import { ChunkReplay } from '../replay/replay-chunk.js';
import type { LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { chunkOf } from '../test/chunk-of.js';
import { CHOSEN, OTHER, RuleSearch, SPARED } from './suggest.js';
import { ProposalCounter, type Suggestions } from './verify-proposals.js';

const gateText = (fences: string) => `gate shop inbound { hosts shop.example ${fences} otherwise allow }`;
const context = { rulebook: checkFences([{ path: 'f.fence', text: gateText('') }], []).rulebook! };

interface Line {
  readonly client: string;
  readonly path: string;
  readonly agent: string | undefined;
  readonly host: string;
  readonly purpose: number;
}

function recordOf({ client, path, agent, host }: Line, at: number): LogRecord {
  const attributes = {
    'client.address': client,
    'http.request.header.host': [host],
    'http.request.method': 'GET',
    'url.path': path,
    ...(agent === undefined ? {} : { 'user_agent.original': agent }),
  };
  return { line: at + 1, atUnixMs: at, attributes };
}

function suggest(lines: readonly Line[]): Suggestions {
  const rows = chunkOf(lines.map(recordOf))!;
  const replay = new ChunkReplay(new Program(context));
  const { codes } = replay.judge([rows]);
  const purposes = Uint8Array.from(lines, ({ purpose }) => purpose);
  const search = new RuleSearch(context);
  search.add(rows, codes, replay.table.rulings, purposes);
  const counter = new ProposalCounter(context, search.propose());
  counter.add(rows, codes, purposes);
  return counter.result();
}

it('what a suggestion stops is what a rule with its condition blocks, by the interpreter', () => {
  const line = fc.record({
    client: fc.constantFrom('198.18.0.1', '198.18.0.7', '198.18.9.1', '2001:db8::1'),
    path: fc.constantFrom('/', '/login', '/login/again', '/a b', '/api/x'),
    agent: fc.constantFrom('quick/1', 'browser/2 "plus"', undefined),
    host: fc.constantFrom('shop.example', 'www.shop.example', 'else.example'),
    purpose: fc.constantFrom(OTHER, CHOSEN, SPARED),
  });
  fc.assert(
    fc.property(fc.array(line, { minLength: 1, maxLength: 40 }), (lines) => {
      const { rules } = suggest(lines);
      for (const { condition, stopped, collateral } of rules) {
        const text = `${gateText('fences f')}\nfence f enforce { rule r block when ${condition} }`;
        const { rulebook, diagnostics } = checkFences([{ path: 'f.fence', text }], []);
        expect(diagnostics).toEqual([]);
        const blocked = lines.filter(
          (one, at) =>
            decide({ rulebook: rulebook! }, normalizeRequest(recordOf(one, at)), new State()).outcome === 'blocked',
        );
        expect([stopped, collateral]).toEqual(
          [CHOSEN, SPARED].map((wanted) => blocked.filter(({ purpose }) => purpose === wanted).length),
        );
      }
    }),
    { numRuns: 150 },
  );
});

it('the shortest rule that stops what was chosen and nothing besides is first; without one nothing is suggested', () => {
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
  expect(suggest([...visitors, ...attack]).rules[0]).toMatchObject({
    condition: 'client in 198.19.0.0/16',
    stopped: 60,
    collateral: 0,
  });
  const hidden = attack.map((one, at) => ({ ...one, client: `198.18.${at % 50}.${at % 7}` }));
  expect(suggest([...visitors, ...hidden]).rules[0]).toMatchObject({
    condition: 'path = /page-3 and agent = "browser/2"',
    stopped: 60,
  });
  const random = visitors.map((one, at) => ({ ...one, purpose: at % 9 === 0 ? CHOSEN : SPARED }));
  expect(suggest(random).rules).toEqual([]);
  expect(suggest(visitors).rules).toEqual([]);
});
