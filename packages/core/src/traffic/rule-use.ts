/** What rules did in several replays, and what they cost. */
import type { Rulebook } from '../check/rulebook.js';
import { ruleId } from '../decide/decision.js';
import { canDecide, type Rule } from '../language/tree.js';
import { ownValue, sumOf, type RuleTally, type Tally } from '../replay/tally.js';
import { comparisonsOf } from './traffic-counts.js';

/** From so many evaluations a request on, what makes a rule cheaper is worth knowing. */
const COSTLY = 0.1;
const SEARCHING: ReadonlySet<string> = new Set(['matches', 'like', 'contains', 'ends']);

export interface UsedRule {
  /** As `fence/rule`. */
  readonly rule: string;
  /** Requests that it matched, by replay, as they are listed. */
  readonly hits: readonly number[];
  /** Requests that it decided, or would have while on trial. */
  readonly decided: number;
  readonly firstHitUnixMs?: number;
  readonly lastHitUnixMs?: number;
  /** How often its condition was evaluated since no index decides it: its cost. */
  readonly evaluations: number;
  /** What makes it cheaper, where it costs much. */
  readonly advice?: string;
  readonly expectations: number;
  /** Whether it can decide: a tag or a record decides nothing. */
  readonly canDecide: boolean;
}

/**
 * Of every rule that is not off, in order.
 * @param expectations by `fence/rule`, how many it decides
 */
export function useOfRules(
  { fences }: Rulebook,
  tallies: readonly Tally[],
  expectations: ReadonlyMap<string, number>,
): UsedRule[] {
  return fences.flatMap((fence) =>
    fence.rules
      .filter(({ state }) => state !== 'off')
      .map((rule) => useOf(ruleId(fence.name, rule.name), rule, tallies, expectations)),
  );
}

function useOf(
  rule: string,
  source: Rule,
  tallies: readonly Tally[],
  expectations: ReadonlyMap<string, number>,
): UsedRule {
  const counts = tallies.map((tally): RuleTally | undefined => ownValue(tally.rules, rule));
  const times = (of: 'firstHitUnixMs' | 'lastHitUnixMs'): number[] => counts.flatMap((one) => one?.[of] ?? []);
  const evaluations = tallies.reduce((sum, tally) => sum + (ownValue(tally.evaluations, rule) ?? 0), 0);
  const requests = tallies.reduce((sum, tally) => sum + tally.requests, 0);
  const [first, last] = [times('firstHitUnixMs'), times('lastHitUnixMs')];
  const advice = evaluations > requests * COSTLY ? adviceFor(source) : undefined;
  return {
    rule,
    hits: counts.map((one) => one?.hits ?? 0),
    decided: counts.reduce((sum, one) => sum + (one ? one.decided + sumOf(one.would) : 0), 0),
    ...(first.length === 0 ? {} : { firstHitUnixMs: Math.min(...first), lastHitUnixMs: Math.max(...last) }),
    evaluations,
    ...(advice === undefined ? {} : { advice }),
    expectations: expectations.get(rule) ?? 0,
    canDecide: canDecide(source.action),
  };
}

/** What makes an evaluation of each request rare. */
function adviceFor({ condition }: Rule): string {
  const comparisons = comparisonsOf(condition);
  const searching = comparisons.find(({ operator, field }) => SEARCHING.has(operator) || field === 'payload');
  if (searching && comparisons.length === 1)
    return `It searches the ${searching.field} of each request: join it with a host, a method or "path under", which are looked up.`;
  if (comparisons.some(({ isNegated }) => isNegated))
    return 'Most requests satisfy what it negates: join it with a comparison that few satisfy, such as a path or a host.';
  return 'Join it with a comparison that few requests satisfy, such as a path, a host or a list.';
}
