import { checkFences } from '@jadefence/core/check';
import type { EvaluationContext } from '@jadefence/core/decide';
import { reviewRules } from '@jadefence/core/findings';
import { printCondition, type Condition } from '@jadefence/core/language';
import { Random } from '@jadefence/demo';
import { median } from './measure.js';
import { FIRST_ADDRESS, formatIpv4, NUM_ADDRESSES } from './replay/fixtures.js';
import { frozenPolicy } from './replay/pinned-workload.js';
import { printFence, printRule, type BenchRule } from './replay/policy.js';
import { frozenWorld } from './replay/replay-engine.js';

const ROUNDS = { 200: 5, 5000: 1 } as const;
const NUM_LISTS = 50;
const ADDRESSES_A_LIST = 2_000;
const LISTS_SEED = 4;

/**
 * The review of frozen rules over 50 lists with 100,000 addresses, and a million categorised domains: the first, which goes
 * through the feed, and the next ones, as after an edit; side by side with a loop over pairs of rules, which sees only that
 * the text of one is part of another.
 */
export async function benchReview(): Promise<void> {
  const world = frozenWorld();
  for (const size of [200, 5000] as const) {
    const context = { rulebook: rulebookOver(frozenPolicy(size).rules), ...world };
    const input = { statements: [], rulebook: context.rulebook, nowUnixMs: Date.now(), referenceData: world };
    const times: Record<'review' | 'pairs', number[]> = { review: [], pairs: [] };
    let covered = 0;
    let review = reviewRules(input);
    for (let round = 0; round < ROUNDS[size]; round += 1) {
      times.review.push(secondsOf(() => (review = reviewRules(input))));
      times.pairs.push(secondsOf(() => (covered = coveredInPairs(context))));
    }
    const line = (name: 'review' | 'pairs'): string =>
      `${median(times[name]).toFixed(2)} s (${Math.min(...times[name]).toFixed(2)} to ${Math.max(...times[name]).toFixed(2)})`;
    const never = review.findings.filter(({ id }) => id === 'never-reached').length;
    process.stdout.write(
      `review: ${size.toLocaleString('en')} rules, ${NUM_LISTS} lists with ${(NUM_LISTS * ADDRESSES_A_LIST).toLocaleString('en')} addresses, a million categorised domains, ${ROUNDS[size]} interleaved rounds\n` +
        `  review ${line('review')} (goal: ${size === 200 ? '0.3' : '5'} s): ${review.findings.length} findings, ${never} never reached, ${review.undecided.length} not decided\n` +
        `  pairs  ${line('pairs')}: ${covered} covered\n` +
        `  in memory ${Math.round(process.memoryUsage().rss / 1e6)} MB with the feed (goal: 600)\n`,
    );
  }
}

function secondsOf(work: () => void): number {
  const startMs = performance.now();
  work();
  return (performance.now() - startMs) / 1000;
}

/** How many rules have an earlier one in their fence whose comparisons, joined with and, are among theirs. */
function coveredInPairs({ rulebook }: EvaluationContext): number {
  let covered = 0;
  for (const { rules } of rulebook.fences) {
    const parts = rules.map(({ condition }) => new Set(partsOf(condition)));
    parts.forEach((later, at) => {
      if (parts.slice(0, at).some((earlier) => [...earlier].every((part) => later.has(part)))) covered += 1;
    });
  }
  return covered;
}

function partsOf(condition: Condition): string[] {
  return (condition.kind === 'and' ? condition.parts : [condition]).map(printCondition);
}

/** The rules with the 50 lists in place of separate addresses; what compares a list only compares a path, too. */
export function rulebookOver(rules: readonly BenchRule[]): EvaluationContext['rulebook'] {
  const random = new Random(LISTS_SEED);
  const address = (): string => formatIpv4(FIRST_ADDRESS + random.below(NUM_ADDRESSES));
  const lists = Array.from(
    { length: NUM_LISTS },
    (_, at) => `list people-${at} addresses { ${Array.from({ length: ADDRESSES_A_LIST }, address).join(', ')} }`,
  );
  const texts = rules.map(({ name, parts, action }, at) => {
    const isOnly = parts.length === 1 && parts[0]!.kind === 'client';
    const rule = {
      name,
      action,
      parts: [...parts, ...(isOnly ? [{ kind: 'path' as const, prefixes: [`/${name}`] }] : [])],
    };
    return printRule(rule, (kind, entries) => (kind === 'addresses' ? `people-${at % NUM_LISTS}` : entries.join(', ')));
  });
  const text = printFence(lists, texts);
  const { rulebook, diagnostics } = checkFences([{ path: 'review.fence', text }], []);
  if (!rulebook) throw new Error(`The rules cannot judge: ${diagnostics[0]?.message}`);
  return rulebook;
}
