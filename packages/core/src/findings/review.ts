import { compareDiagnostics } from '../language/diagnostic.js';
import { expired, expiresSoon } from './ends.js';
import {
  FINDING_IDS,
  FINDING_LEVELS,
  type Analysis,
  type Finding,
  type FindingId,
  type ReviewInput,
} from './finding.js';
import { fenceWithoutGate, gateWithoutFence } from './gates.js';
import { emptyList, unusedList } from './lists.js';

/** The registry: every finding, and how it is made. */
const ANALYSES: Readonly<Record<FindingId, Analysis>> = {
  'gate-without-fence': gateWithoutFence,
  'fence-without-gate': fenceWithoutGate,
  'empty-list': emptyList,
  'unused-list': unusedList,
  'expired': expired,
  'expires-soon': expiresSoon,
};

/** Everything that is probably wrong with a rulebook, the most serious first and then by place. */
export function reviewRules(input: ReviewInput): Finding[] {
  const findings = FINDING_IDS.flatMap((id) => {
    const { level, find } = ANALYSES[id];
    return find(input).map((finding): Finding => ({ id, level, ...finding }));
  });
  return findings.sort(
    (a, b) => FINDING_LEVELS.indexOf(a.level) - FINDING_LEVELS.indexOf(b.level) || compareDiagnostics(a, b),
  );
}
