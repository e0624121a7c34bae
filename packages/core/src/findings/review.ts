import { compareDiagnostics } from '../language/diagnostic.js';
import type { Statement } from '../language/tree.js';
import { reviewTimes } from './classes/times.js';
import { missingNeed, portWithoutApplication, incompleteTransport } from './applications.js';
import {
  countryTableMissing,
  countryTableStale,
  countryWithoutRanges,
  notInWithoutNoCountry,
  privateAddressByCountry,
} from './countries.js';
import { belowBroadRule, neverTried, notPublished } from './drafts.js';
import { expired, expiresSoon } from './ends.js';
import {
  FINDING_LEVELS,
  type Analysis,
  type Finding,
  type FindingId,
  type Review,
  type ReviewInput,
} from './finding.js';
import { fenceWithoutGate, gateWithoutFence, noCategoryFallback, uncoveredHost, untrustedHeader } from './gates.js';
import { exemptFromInspection, hiddenEvidence, pathNeedsInspection } from './inspection.js';
import { listOverlap } from './list-overlap.js';
import { emptyList, unusedList } from './lists.js';
import { findingOf } from './order-findings.js';
import { ORDER_BOUNDS, reviewOrder, type OrderClaim } from './order.js';
import { addressPattern, doubleSlash, encodedPath, hostBits, lookalike } from './patterns.js';
import {
  costlyCondition,
  coversEverything,
  disabledClone,
  holdOnMachine,
  limitKeyTooWide,
  openEndedAllowList,
} from './practice.js';
import { scheduleGap, scheduleOverlap } from './schedules.js';
import { tagNeverRead, tagSetLater } from './tags.js';
import { twinRulesDrifted } from './twins.js';

/** The registry: every finding but those about the order of rules, and how it is made. */
const ANALYSES: Readonly<
  Record<
    Exclude<FindingId, OrderClaim['id'] | 'below-broad-rule' | 'invalid' | 'unknown-name' | 'tag-never-set'>,
    Analysis
  >
> = {
  'covers-everything': coversEverything,
  'lookalike': lookalike,
  'address-pattern': addressPattern,
  'host-bits': hostBits,
  'double-slash': doubleSlash,
  'encoded-path': encodedPath,
  'costly-condition': costlyCondition,
  'tag-never-read': tagNeverRead,
  'tag-set-later': tagSetLater,
  'country-without-ranges': countryWithoutRanges,
  'not-in-without-no-country': notInWithoutNoCountry,
  'country-table-missing': countryTableMissing,
  'country-table-stale': countryTableStale,
  'private-address-by-country': privateAddressByCountry,
  'empty-list': emptyList,
  'unused-list': unusedList,
  'list-overlap': listOverlap,
  'twin-rules-drifted': twinRulesDrifted,
  'missing-need': missingNeed,
  'port-without-application': portWithoutApplication,
  'transport-forgotten': incompleteTransport,
  'gate-without-fence': gateWithoutFence,
  'fence-without-gate': fenceWithoutGate,
  'uncovered-host': uncoveredHost,
  'untrusted-header': untrustedHeader,
  'path-needs-inspection': pathNeedsInspection,
  'exempt-from-inspection': exemptFromInspection,
  'hidden-evidence': hiddenEvidence,
  'no-category-fallback': noCategoryFallback,
  'expired': expired,
  'expires-soon': expiresSoon,
  'schedule-gap': scheduleGap,
  'schedule-overlap': scheduleOverlap,
  'limit-key-too-wide': limitKeyTooWide,
  'hold-on-machine': holdOnMachine,
  'open-ended-allow-list': openEndedAllowList,
  'disabled-clone': disabledClone,
  'never-tried': neverTried,
  'not-published': notPublished,
};

/** Everything that is probably wrong with a rulebook, the most serious first and then by place. */
export function reviewRules(input: ReviewInput): Review {
  const { rulebook, statements } = input;
  const { found, undecided } = findAll(input, false);
  const isExpected = expectedBy(statements);
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

/** Of a review the errors that no comment expects, which takes less time. */
export function findErrors(input: ReviewInput): readonly Finding[] {
  const isExpected = expectedBy(input.statements);
  return findAll(input, true).found.filter((finding) => finding.level === 'error' && !isExpected(finding));
}

function findAll(input: ReviewInput, isOnlyErrors: boolean): { found: Finding[]; undecided: Review['undecided'] } {
  const { rulebook, statements, nowUnixMs, referenceData, bounds = ORDER_BOUNDS, about } = input;
  const times = reviewTimes(statements, rulebook.zone, [...rulebook.endsAtUnixMs.values()], nowUnixMs);
  const { claims, undecided } = reviewOrder({ rulebook, ...referenceData }, times, bounds, {
    isOnlyErrors,
    ...(about === undefined ? {} : { about }),
  });
  const found = [
    ...claims.map((claim) => findingOf(claim, input)),
    ...belowBroadRule(claims, input),
    ...Object.entries(ANALYSES).flatMap(([id, { level, find }]) =>
      find(input).map((finding): Finding => ({ id: id as FindingId, ...finding, level: finding.level ?? level })),
    ),
  ]
    .filter(({ rule }) => about === undefined || rule === about)
    .sort((a, b) => FINDING_LEVELS.indexOf(a.level) - FINDING_LEVELS.indexOf(b.level) || compareDiagnostics(a, b));
  return { found, undecided };
}

function expectedBy(statements: readonly Statement[]): (finding: Finding) => boolean {
  const expected = expectedFindings(statements);
  return ({ id, place }) => expected.get(placeKey(place))?.includes(id) === true;
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
