import { describe, expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { decide } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import type { Attributes } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { COUNTRIES } from '../test/compare-evaluators.js';
import { reviewRules } from './index.js';

const NOW = Date.parse('2026-10-12T10:00:00Z');

function reviewed(rules: string, gate = 'inbound { hosts shop.example fences desk otherwise allow }') {
  const text = `list team addresses { 198.18.4.0/24 except 198.18.4.9 }
schedule hours { mon-fri 09:00-17:00 }
gate shop ${gate}
fence desk enforce {
${rules}
}`;
  const { files, rulebook, diagnostics } = checkFences([{ path: 'f.fence', text }], []);
  expect(diagnostics).toEqual([]);
  const statements = files.flatMap((file) => file.statements);
  const referenceData = { countries: COUNTRIES };
  const review = reviewRules({ statements, rulebook: rulebook!, nowUnixMs: NOW, referenceData });
  return { ...review, context: { rulebook: rulebook!, ...referenceData } };
}

const ABOUT_ORDER = /^(never|always|partly|no-effect)/;
const claims = (rules: string, gate?: string) =>
  reviewed(rules, gate)
    .findings.filter(({ id }) => ABOUT_ORDER.test(id))
    .map(({ id, rule, related = [] }) =>
      [id, rule!.slice('desk/'.length), ...related.map((name) => name.slice('desk/'.length))].join(' '),
    )
    .sort();

describe('a rule', () => {
  it.each([
    [
      'two hosts joined with and',
      'rule a block when host = a.shop.example and host = b.shop.example',
      ['never-true a'],
    ],
    ['negations joined with or', 'rule a block when path != /x or path != /y', ['always-true a']],
    ['an address outside of a list', 'rule a block when client = 198.18.4.9 and client in team', ['never-true a']],
    ['a country that an address is not in', 'rule a block when client = 198.18.0.1 and country = SE', ['never-true a']],
    [
      'a tag that nothing sets',
      'rule a tag staff when client in team\nrule b block when tag = staff and client not in team',
      ['never-true b'],
    ],
  ])('with %s', (_what, rules, expected) => expect(claims(rules)).toEqual(expected));

  it.each([
    [
      'below a broad allow',
      'rule a allow when client in team\nrule b block when client = 198.18.4.7',
      ['never-reached b a'],
    ],
    [
      'below two that take all but an unknown method',
      'rule a allow when method = GET\nrule b allow when method != GET\nrule c block when path under /x',
      ['partly-covered c a'],
    ],
    [
      'below a limit',
      'rule a limit 5 per 1m by client\n  when client in team\nrule b block when client = 198.18.4.7',
      [],
    ],
    ['below a rule on trial', 'rule a trial block when client in team\nrule b block when client = 198.18.4.7', []],
    ['below one that is off', 'rule a off block when client in team\nrule b block when client = 198.18.4.7', []],
    [
      'below one in other hours',
      'rule a block when client in team during hours\nrule b block when client = 198.18.4.7',
      ['partly-covered b a'],
    ],
    [
      'below one for part of it',
      'rule a allow when path under /x\nrule b block when client in team',
      ['partly-covered b a'],
    ],
    [
      'below one that matches unknown',
      'rule a block when user = kari if unknown match\nrule b block when user absent or user = ola',
      ['partly-covered b a'],
    ],
    ['for a host of another gate', 'rule a block when host = other.example', ['never-reached a']],
  ])('%s', (_what, rules, expected) => expect(claims(rules)).toEqual(expected));

  it.each([
    ['what the gate does anyway', 'rule a allow when client in team', ['no-effect a']],
    [
      'what a later rule does',
      'rule a block when client = 198.18.4.7\nrule b block when client in team',
      ['no-effect a', 'partly-covered b a'],
    ],
    [
      'another status',
      'rule a block 451 when client = 198.18.4.7\nrule b block when client in team',
      ['partly-covered b a'],
    ],
    ['a tag that a later rule reads', 'rule a tag staff when client in team\nrule b block when not tag = staff', []],
    [
      'a tag that no rule reads',
      'rule a tag staff when client in team\nrule b block when path under /x',
      ['no-effect a'],
    ],
    ['a delay', 'rule a throttle 1MB/s by client when client in team', []],
    [
      'an exemption from a delay',
      'rule a allow when client in team\nrule b throttle 1MB/s by client when always',
      ['partly-covered b a'],
    ],
    ['a record alone', 'rule a observe when client in team', ['no-effect a']],
  ])('that adds %s', (_what, rules, expected) => expect(claims(rules)).toEqual(expected));
});

describe('a finding', () => {
  it('has a request that shows it, and the rules that cause it', () => {
    const { findings, context } = reviewed('rule a allow when path under /x\nrule b block when client in team');
    const { example, related, gate } = findings.find(({ id }) => id === 'partly-covered')!;
    expect([gate, related]).toEqual(['shop', ['desk/a']]);
    const { timestamp, ...attributes } = example!;
    const record = { line: 1, atUnixMs: Date.parse(String(timestamp)), attributes: attributes as Attributes };
    expect(decide(context, normalizeRequest(record), new State())).toMatchObject({ outcome: 'allowed', rule: 'a' });
  });

  it('that a comment expects is kept apart', () => {
    const { findings, ignored } = reviewed(
      '# review: ignore no-effect because the auditors want to see it\nrule a allow when client in team',
    );
    expect([findings.map(({ id }) => id), ignored.map(({ id }) => id)]).toEqual([
      ['open-ended-allow-list'],
      ['no-effect'],
    ]);
  });

  it('about what encryption hides looks at both kinds of requests', () => {
    const wifi = 'outbound { clients 198.18.4.0/24 fences desk otherwise allow }';
    expect(claims('rule a block when scheme = https and path under /x', wifi)).toEqual([]);
    const hidden = 'outbound { clients 198.18.4.0/24 inspect { otherwise exempt } fences desk otherwise allow }';
    expect(claims('rule a block when scheme = https and path under /x', hidden)).toEqual(['never-true a']);
    expect(claims('rule a block when scheme = https and host under games.example', hidden)).toEqual([]);
  });
});
