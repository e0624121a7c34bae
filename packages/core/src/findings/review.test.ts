import { expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import type { ReferenceData } from '../decide/view.js';
import { applyEdits } from '../edit/edit.js';
import { COUNTRIES } from '../test/compare-evaluators.js';
import { splitIntoParts } from '../language/parts.js';
import { reviewRules, type Finding } from './index.js';

const NOW = Date.parse('2026-10-12T10:00:00Z');
const TEXT = `list used addresses { 198.18.4.0/24 }
list spare addresses { 198.18.5.0/24 }
list hollow addresses { }
gate shop inbound { hosts shop.example fences desk otherwise allow }
gate bare inbound { hosts bare.example otherwise allow }
fence desk enforce {
  rule a block when client in used
  rule b block when client in hollow
  rule old block when path under /old until 2026-10-01
  rule last block when path under /last until 2026-10-15
  rule far block when path under /far until 2026-12-31
}
fence loose trial { rule x block when always }
`;

function review(text: string, referenceData: ReferenceData = {}): Finding[] {
  const { files, rulebook, diagnostics } = checkFences([{ path: 'f.fence', text }], []);
  expect(diagnostics).toEqual([]);
  return reviewRules({
    statements: files.flatMap((file) => file.statements),
    rulebook: rulebook!,
    nowUnixMs: NOW,
    referenceData,
  }).findings.filter(({ id }) => id !== 'partly-covered');
}

it('a review reports what is attached to nothing, empty, unused or at its end, the most serious first', () => {
  expect(review(TEXT).map(({ id, level, subject, place }) => `${place.line} ${level} ${id} ${subject}`)).toEqual([
    '8 error never-true rule desk/b',
    '3 warning empty-list list hollow',
    '5 warning gate-without-fence gate bare',
    '13 warning fence-without-gate fence loose',
    '2 note unused-list list spare',
    '9 note expired rule desk/old',
    '10 note expires-soon rule desk/last',
  ]);
});

it.each([
  [
    'country-without-ranges rule desk/a',
    'inbound { hosts a.example fences desk otherwise allow }',
    'block when country in NO, SC',
  ],
  [
    'path-needs-inspection rule desk/a',
    'outbound { clients 198.18.0.0/15 fences desk otherwise allow }',
    'block when path under /x',
  ],
  [
    '',
    'outbound { clients 198.18.0.0/15 inspect { otherwise inspect } fences desk otherwise allow }',
    'block when path under /x',
  ],
  ['', 'outbound { clients 198.18.0.0/15 fences desk otherwise allow }', 'block when path under /x if unknown match'],
  [
    'missing-need rule desk/a',
    'outbound { clients 198.18.0.0/15 fences desk otherwise block }',
    'allow when application = archive',
  ],
  ['', 'outbound { clients 198.18.0.0/15 fences desk otherwise block }', 'allow when application in archive, door'],
  ['', 'outbound { clients 198.18.0.0/15 fences desk otherwise allow }', 'allow outright when application = archive'],
  [
    'tag-never-read rule desk/a',
    'inbound { hosts a.example fences desk otherwise allow }',
    'tag staff when method = GET',
  ],
])('a review reports "%s" of a gate %s with the rule %s', (expected, gate, rule) => {
  const text = `application door { signature when host = door.example }
application archive { needs door signature when host = archive.example }
gate shop ${gate}
fence desk enforce { rule a ${rule} }`;
  const ORDER = /^(never|always|partly|no-)/;
  const found = review(text, { countries: COUNTRIES }).filter(({ id }) => !ORDER.test(id));
  expect(found.map(({ id, subject }) => `${id} ${subject}`).join()).toBe(expected);
});

it('the edits of a finding fix it', () => {
  const parts = splitIntoParts(checkFences([{ path: 'f.fence', text: TEXT }], []).files);
  const fixes = review(TEXT).flatMap(({ fix }) => fix ?? []);
  const { configuration } = applyEdits({ parts, namedFiles: [] }, fixes);
  expect(configuration.parts.map(({ name }) => name)).not.toContain('spare');
  expect(configuration.parts.map(({ name }) => name)).not.toContain('old');
});
