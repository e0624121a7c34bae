import { expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { applyEdits } from '../edit/edit.js';
import { joinParts, splitIntoParts } from '../language/parts.js';
import { printFences } from '../language/printer.js';
import { COUNTRIES } from '../test/compare-evaluators.js';
import { describeMeaning, reviewRules, type Finding, type FindingId } from './index.js';

const NOW = Date.parse('2026-10-12T10:00:00Z');
const APPLICATIONS = `application door { signature when host = door.example }
application archive { needs door signature when host = archive.example }
list office addresses { 198.18.4.0/24 }
list guests addresses { 198.18.4.7, 198.18.5.0/24 }
list proxies addresses { 203.0.113.0/26 }
schedule day { mon-sun 06:00-18:00 }
schedule night { mon-sun 18:00-05:30 }
schedule evening { mon-sun 17:00-06:00 }
`;
const SHOP = 'inbound { hosts shop.example fences desk otherwise allow }';
const OUT = 'outbound { clients 198.18.0.0/15 fences desk otherwise allow }';
const STRICT = 'outbound { clients 198.18.0.0/15 fences desk otherwise block }';
const INSPECTING = (how: string): string =>
  `outbound { clients 198.18.0.0/15 inspect { ${how} } fences desk otherwise allow }`;

function review(gate: string, rules: string, options: Partial<Parameters<typeof reviewRules>[0]> = {}) {
  const text = `${APPLICATIONS}gate shop ${gate}\nfence desk enforce {\n${rules}\n}`;
  return reviewText(text, options);
}

function reviewText(text: string, options: Partial<Parameters<typeof reviewRules>[0]> = {}) {
  const { files, rulebook, diagnostics } = checkFences([{ path: 'f.fence', text }], []);
  expect(diagnostics.filter(({ code }) => code !== 'unset-tag')).toEqual([]);
  const statements = files.flatMap((file) => file.statements);
  const { findings } = reviewRules({
    statements,
    rulebook: rulebook!,
    nowUnixMs: NOW,
    referenceData: { countries: COUNTRIES },
    ...options,
  });
  return { files, findings };
}

/** What the findings of one id are about. */
const of = (findings: readonly Finding[], id: FindingId): string[] =>
  findings.filter((finding) => finding.id === id).map(({ subject }) => subject);

/** Of each id: a gate and rules that have it, its subject, and the same as it should be. */
const CASES: readonly [FindingId, string, string, string, string, string?][] = [
  [
    'country-without-ranges',
    SHOP,
    'rule a block when country in NO, SC',
    'rule desk/a',
    'rule a block when country in NO',
  ],
  [
    'not-in-without-no-country',
    SHOP,
    'rule a block when country not in NO, internal',
    'rule desk/a',
    'rule a block when country not in NO, internal, no-country',
  ],
  [
    'private-address-by-country',
    'outbound { clients 10.0.0.0/8 fences desk otherwise allow }',
    'rule a block when country = NO',
    'rule desk/a',
    'rule a block when server country = NO',
  ],
  [
    'path-needs-inspection',
    OUT,
    'rule a block when path under /x',
    'rule desk/a',
    'rule a block when path under /x if unknown match',
  ],
  [
    'hidden-evidence',
    INSPECTING('exempt when host under bank.example otherwise inspect'),
    'rule a block when path under /x',
    'rule desk/a',
    'rule a block when host under x.example',
  ],
  [
    'exempt-from-inspection',
    INSPECTING('exempt when host in bank.example, clinic.example otherwise inspect'),
    'rule a block when host = bank.example and path under /x',
    'rule desk/a',
    'rule a block when host = shop.example and path under /x',
  ],
  [
    'missing-need',
    STRICT,
    'rule a allow when application = archive',
    'rule desk/a',
    'rule a allow when application in archive, door',
  ],
  [
    'port-without-application',
    STRICT,
    'rule a allow when port = 443',
    'rule desk/a',
    'rule a allow when port = 443 and application = door',
  ],
  [
    'transport-forgotten',
    OUT,
    'rule a block when transport in tcp, udp',
    'rule desk/a',
    'rule a block when transport in tcp, udp, icmp',
  ],
  [
    'tag-never-read',
    SHOP,
    'rule a tag staff when method = GET',
    'rule desk/a',
    'rule a tag staff when method = GET\nrule b block when tag = staff',
  ],
  [
    'tag-set-later',
    SHOP,
    'rule a block when tag = staff\nrule b tag staff when method = GET',
    'rule desk/a',
    'rule b tag staff when method = GET\nrule a block when tag = staff',
  ],
  [
    'covers-everything',
    SHOP,
    'rule a block when always\nrule b allow when method = GET',
    'rule desk/a',
    'rule a block when method = PUT',
  ],
  [
    'lookalike',
    OUT,
    'rule a block when host ends "games.example"',
    'rule desk/a',
    'rule a block when host ends ".games.example"',
  ],
  [
    'lookalike',
    OUT,
    'rule a block when host matches "games\\\\.example"',
    'rule desk/a',
    'rule a block when host matches "(^|\\\\.)games\\\\.example$"',
  ],
  ['lookalike', SHOP, 'rule a block when path starts /admin', 'rule desk/a', 'rule a block when path starts /admin/'],
  [
    'address-pattern',
    SHOP,
    'rule a block when header "x-real-ip" starts "198.18."',
    'rule desk/a',
    'rule a block when header "x-real-ip" = "198.18.4.7"',
  ],
  [
    'host-bits',
    SHOP,
    'rule a block when client in 198.18.4.7/24',
    'rule desk/a',
    'rule a block when client in 198.18.4.0/24',
  ],
  ['double-slash', SHOP, 'rule a block when path = //login', 'rule desk/a', 'rule a block when path = /login'],
  ['encoded-path', SHOP, 'rule a block when path under /a%2Fb', 'rule desk/a', 'rule a block when path under /a%62'],
  [
    'costly-condition',
    SHOP,
    'rule a block when agent matches "bot[0-9]+"',
    'rule desk/a',
    'rule a block when method = GET and agent matches "bot[0-9]+"',
  ],
  [
    'list-overlap',
    SHOP,
    'rule a allow when client in office\nrule b block when client in guests',
    'list office',
    'rule a allow when client in office\nrule b block when client in proxies',
  ],
  [
    'twin-rules-drifted',
    SHOP,
    'rule a block when scheme = http and path in /a, /b, /c\nrule b block when scheme = https and path in /a, /b',
    'rule desk/b',
    'rule a block when scheme = http and path in /a, /b\nrule b block when scheme = https and path in /a, /b',
  ],
  [
    'uncovered-host',
    SHOP,
    'rule a block when host in shop.example, stop.example',
    'rule desk/a',
    'rule a block when host in shop.example, pay.shop.example',
  ],
  [
    'untrusted-header',
    'inbound { hosts shop.example client from header x-forwarded-for trusting 0.0.0.0/0 fences desk otherwise allow }',
    'rule a block when client in office',
    'gate shop',
    'rule a block when client in office',
    'inbound { hosts shop.example client from header x-forwarded-for trusting proxies fences desk otherwise allow }',
  ],
  [
    'untrusted-header',
    SHOP,
    'rule a allow when header "x-forwarded-for" = "198.18.4.7"',
    'rule desk/a',
    'rule a allow when client = 198.18.4.7',
  ],
  [
    'no-category-fallback',
    OUT,
    'rule a block when category = games',
    'gate shop',
    'rule a block when category in games, uncategorised',
  ],
  [
    'schedule-gap',
    SHOP,
    'rule a block when method = PUT during day\nrule b block when method = PUT during night',
    'rule desk/a',
    'rule a block when method = PUT during day\nrule b block when method = PUT outside day',
  ],
  [
    'schedule-overlap',
    SHOP,
    'rule a block when method = PUT during day\nrule b allow when method = PUT during evening',
    'rule desk/a',
    'rule a block when method = PUT during day\nrule b allow when method = PUT during night',
  ],
  [
    'limit-key-too-wide',
    SHOP,
    'rule a limit 5 per 1m by country when always',
    'rule desk/a',
    'rule a limit 5 per 1m by country, client when always',
  ],
  [
    'hold-on-machine',
    SHOP,
    'rule a challenge when method in PUT, DELETE',
    'rule desk/a',
    'rule a challenge when method in PUT, POST',
  ],
  [
    'hold-on-machine',
    OUT,
    'rule a warn when host under games.example',
    'rule desk/a',
    'rule a warn when host under games.example and scheme = http',
  ],
  [
    'open-ended-allow-list',
    SHOP,
    'rule a allow when client in office',
    'fence desk',
    'rule a allow when client in office\notherwise block',
  ],
  [
    'disabled-clone',
    SHOP,
    'rule a block when method = PUT\nrule b off block when method = PUT',
    'rule desk/b',
    'rule a block when method = PUT\nrule b off block when method = DELETE',
  ],
  [
    'redirect-loop',
    SHOP,
    'rule a redirect "https://shop.example/sorry" when method = GET',
    'rule desk/a',
    'rule a redirect "https://sorry.example/" when method = GET',
  ],
  [
    'redirect-loop',
    SHOP,
    'rule a redirect "https://shop.example/sorry" when path under /x\nrule b block when path = /sorry',
    'rule desk/a',
    'rule a redirect "https://shop.example/sorry" when path under /x',
  ],
];

it.each(CASES)(
  'a review reports %s of the gate "%s" with "%s"',
  (id, gate, rules, subject, right, rightGate = gate) => {
    const { files, findings } = review(gate, rules);
    expect(of(findings, id)).toEqual([subject]);
    expect(of(review(rightGate, right).findings, id)).toEqual([]);
    const edits = findings.find((finding) => finding.id === id)!.fix ?? [];
    if (edits.length === 0) return;
    const { configuration } = applyEdits({ parts: splitIntoParts(files), namedFiles: [] }, edits);
    const fixed = printFences(joinParts(configuration.parts, 'f.fence'));
    expect(of(reviewText(fixed).findings, id)).toEqual([]);
  },
);

/** Fixes after which the same comes of every request, and those that change what their rule decides about. */
const FIXES: readonly [FindingId, string, boolean][] = [
  ['never-true', 'rule a block when host = a.shop.example and host = b.shop.example', false],
  ['no-effect', 'rule a block when path under /x\nrule b block when path under /x', false],
  ['disabled-clone', 'rule a block when method = PUT\nrule b off block when method = PUT', false],
  ['expired', 'rule a block when method = PUT until 2026-10-01', false],
  ['not-in-without-no-country', 'rule a block when country not in NO, internal', true],
  ['lookalike', 'rule a block when path starts /admin', true],
  ['transport-forgotten', 'rule a block when transport in tcp, udp', true],
];

it.each(FIXES)('the fix of %s of "%s" changes only what it should', (id, rules, doesChange) => {
  const { files, findings } = review(SHOP, rules);
  const { fix, rule } = findings.find((finding) => finding.id === id)!;
  const { configuration } = applyEdits({ parts: splitIntoParts(files), namedFiles: [] }, fix!);
  const [before, after] = [
    files,
    checkFences([{ path: 'f.fence', text: printFences(joinParts(configuration.parts, 'f.fence')) }], []).files,
  ].map((some) => {
    const { rulebook } = checkFences([{ path: 'f.fence', text: some.map(printFences).join('\n') }], []);
    return { rulebook: rulebook!, statements: some.flatMap(({ statements }) => statements) };
  });
  const { regions, undecided } = describeMeaning({ before: before!, after: after! }, { countries: COUNTRIES }, NOW);
  expect([regions.length > 0, undecided]).toEqual([doesChange, []]);
  for (const region of regions) expect([region.before.by, region.after.by]).toContain(rule);
});

it('a review knows the age of the table, and that there is none', () => {
  const rules = 'rule a block when country = NO\nrule b block when country = SE';
  const table = (days: number) => review(SHOP, rules, { countryTableAtUnixMs: NOW - days * 86_400_000 }).findings;
  expect(of(table(30), 'country-table-stale')).toEqual([]);
  const [stale] = table(120).filter(({ id }) => id === 'country-table-stale');
  expect(stale!.message).toBe('2 rules look at countries, and the country table is 120 days old.');
  const { findings } = review(SHOP, rules, { referenceData: {} });
  expect(of(findings, 'country-table-missing')).toEqual(['the country table']);
});

it('a review of a draft knows what is new, tried and published', () => {
  const rules = 'rule wide allow when client in office\nrule narrow block when client = 198.18.4.9';
  const changes = [{ kind: 'added', part: 'rule', name: 'desk/narrow' }] as const;
  const { files, findings } = review(SHOP, rules, { draft: { changes, isTried: false } });
  expect(of(findings, 'below-broad-rule')).toEqual(['rule desk/narrow']);
  expect([of(findings, 'never-tried'), of(findings, 'not-published')]).toEqual([['the draft'], ['the draft']]);
  const { fix } = findings.find(({ id }) => id === 'below-broad-rule')!;
  const { configuration } = applyEdits({ parts: splitIntoParts(files), namedFiles: [] }, fix!);
  const fixed = printFences(joinParts(configuration.parts, 'f.fence'));
  const after = reviewText(fixed, { draft: { changes, isTried: true } }).findings;
  expect([of(after, 'below-broad-rule'), of(after, 'never-reached'), of(after, 'never-tried')]).toEqual([[], [], []]);
  expect(of(reviewText(fixed, { draft: { changes: [], isTried: true } }).findings, 'not-published')).toEqual([]);
});
