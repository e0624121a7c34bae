import { compareDiagnostics } from '../language/diagnostic.js';
import type { Statement } from '../language/tree.js';
import { reviewTimes } from './classes/times.js';
import { countryWithoutRanges, missingNeed, pathNeedsInspection, tagNeverRead } from './conditions.js';
import { expired, expiresSoon } from './ends.js';
import {
  FINDING_LEVELS,
  type Analysis,
  type Finding,
  type FindingId,
  type Review,
  type ReviewInput,
} from './finding.js';
import { fenceWithoutGate, gateWithoutFence } from './gates.js';
import { emptyList, unusedList } from './lists.js';
import { findingOf } from './order-findings.js';
import { reviewOrder, type OrderClaim } from './order.js';

/** The registry: every finding but those about the order of rules, and how it is made. */
const ANALYSES: Readonly<Record<Exclude<FindingId, OrderClaim['id']>, Analysis>> = {
  'country-without-ranges': countryWithoutRanges,
  'path-needs-inspection': pathNeedsInspection,
  'missing-need': missingNeed,
  'tag-never-read': tagNeverRead,
  'gate-without-fence': gateWithoutFence,
  'fence-without-gate': fenceWithoutGate,
  'empty-list': emptyList,
  'unused-list': unusedList,
  'expired': expired,
  'expires-soon': expiresSoon,
};

/** Everything that is probably wrong with a rulebook, the most serious first and then by place. */
export function reviewRules(input: ReviewInput): Review {
  const { rulebook, statements, nowUnixMs, referenceData } = input;
  const times = reviewTimes(statements, rulebook.zone, [...rulebook.endsAtUnixMs.values()], nowUnixMs);
  const { claims, undecided } = reviewOrder({ rulebook, ...referenceData }, times);
  const found = [
    ...claims.map((claim) => findingOf(claim, input)),
    ...Object.entries(ANALYSES).flatMap(([id, { level, find }]) =>
      find(input).map((finding): Finding => ({ id: id as FindingId, level, ...finding })),
    ),
  ].sort((a, b) => FINDING_LEVELS.indexOf(a.level) - FINDING_LEVELS.indexOf(b.level) || compareDiagnostics(a, b));
  const expected = expectedFindings(statements);
  const isExpected = ({ id, place }: Finding): boolean => expected.get(placeKey(place))?.includes(id) === true;
  return {
    findings: found.filter((finding) => !isExpected(finding)),
    ignored: found.filter(isExpected),
    undecided,
    checked: {
      rules: rulebook.fences.reduce((sum, { rules }) => sum + rules.length, 0),
      gates: rulebook.gates.length,
    },
  };
}

/** A comment that expects a finding, with the reason. */
const EXPECTED = /^review: ignore ([a-z-]+) because \S/;

/** By the place of a statement or rule, the findings that comments above it expect. */
function expectedFindings(statements: readonly Statement[]): ReadonlyMap<string, readonly string[]> {
  const parts = statements.flatMap((statement): readonly Pick<Statement, 'place' | 'comments'>[] =>
    statement.kind === 'fence' ? [statement, ...statement.rules] : [statement],
  );
  return new Map(
    parts.map(({ place, comments }) => [
      placeKey(place),
      comments.flatMap((comment) => EXPECTED.exec(comment)?.[1] ?? []),
    ]),
  );
}

function placeKey({ file, line, column }: Finding['place']): string {
  return `${file}:${line}:${column}`;
}
