import { expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import type { ReferenceData } from '../decide/view.js';
import { applyEdits } from '../edit/edit.js';
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
    '13 note covers-everything rule loose/x',
  ]);
});

it('the edits of a finding fix it', () => {
  const parts = splitIntoParts(checkFences([{ path: 'f.fence', text: TEXT }], []).files);
  const fixes = review(TEXT).flatMap(({ fix }) => fix ?? []);
  const { configuration } = applyEdits({ parts, namedFiles: [] }, fixes);
  expect(configuration.parts.map(({ name }) => name)).not.toContain('spare');
  expect(configuration.parts.map(({ name }) => name)).not.toContain('old');
});
