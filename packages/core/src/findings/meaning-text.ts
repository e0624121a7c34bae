/** Regions of requests in words, as the service sends them and people read them. */
import type { ReferenceData } from '../decide/view.js';
import { sortAttributeNames } from '../request/record.js';
import type { Fate } from './classes/follow.js';
import { reviewTimes } from './classes/times.js';
import type { ExampleRequest } from './finding.js';
import { compareMeaning, MEANING_BOUNDS, type MeaningDiff, type Region, type RegionCondition } from './meaning.js';
import type { RuleState } from './rule-changes.js';

/** A kind of requests whose outcome changes. */
export interface ChangedRequests extends Omit<Region, 'example' | 'atUnixMs'> {
  /** All of it in one sentence. */
  readonly sentence: string;
  readonly example: ExampleRequest;
  /** A rule that matches these requests, and a fence of their gate, for counting them in a log; absent where no rule can. */
  readonly rule?: string;
  readonly fence?: string;
}

/** What changes between two states of the rules. Nothing else does, unless something is undecided. */
export interface MeaningChanges extends Pick<MeaningDiff, 'undecided'> {
  readonly regions: readonly ChangedRequests[];
}

/** @param nowUnixMs hours are looked at from then on */
export function describeMeaning(
  states: { readonly before: RuleState; readonly after: RuleState },
  referenceData: ReferenceData,
  nowUnixMs: number,
  bounds = MEANING_BOUNDS,
): MeaningChanges {
  const both = [states.before, states.after];
  const times = reviewTimes(
    both.flatMap(({ statements }) => statements),
    states.after.rulebook.zone,
    both.flatMap(({ rulebook }) => [...rulebook.endsAtUnixMs.values()]),
    nowUnixMs,
  );
  const { regions, undecided } = compareMeaning(states, referenceData, times, bounds);
  // What clients see comes before what trials would do.
  const isOnlyTrial = ({ before, after }: Region): number => Number(outcomeText(before) === outcomeText(after));
  const sorted = [...regions].sort((a, b) => isOnlyTrial(a) - isOnlyTrial(b));
  return { regions: sorted.map((region) => describeRegion(region, states.after)), undecided };
}

function describeRegion(region: Region, { rulebook }: RuleState): ChangedRequests {
  const { example, atUnixMs, ...rest } = region;
  const names = sortAttributeNames(Object.keys(example));
  const rule = ruleOf(region);
  const fence = rulebook.gates.find(({ statement }) => statement.name === region.gateAfter)?.fences[0]?.name;
  return {
    ...rest,
    sentence: `${whereText(region)}${region.conditions.map(kindText).join(', or ')}${region.isPartial ? ', and further ones' : ''}: ${changeText(region)}.`,
    example: Object.fromEntries([
      ['timestamp', new Date(atUnixMs).toISOString()],
      ...names.map((name) => [name, example[name]] as const),
    ]) as ExampleRequest,
    ...(rule === undefined || fence === undefined ? {} : { rule, fence }),
  };
}

function whereText({ gateBefore, gateAfter }: Region): string {
  if (gateBefore === gateAfter) return `At the gate ${gateAfter}, `;
  if (gateBefore === undefined) return `At the gate ${gateAfter}, where no gate judged them before, `;
  if (gateAfter === undefined) return `At the gate ${gateBefore}, where no gate judges them after, `;
  return `At the gate ${gateBefore}, and at ${gateAfter} after, `;
}

function kindText({ condition, hours, unknown, orUnknown, only }: RegionCondition): string {
  const kind = { visible: 'requests that it sees whole', hidden: 'encrypted requests that it does not inspect' };
  const which =
    only === undefined ? (condition === 'always' && unknown.length === 0 ? 'all requests' : 'requests') : kind[only];
  const parts = [
    ...(condition === 'always' ? [] : [condition]),
    ...unknown.map((comparison) => `"${comparison}" is unknown`),
  ];
  const or = orUnknown.length === 0 ? '' : ` (or ${orUnknown.map((one) => `"${one}"`).join(', ')} unknown)`;
  return [which, ...(parts.length === 0 ? [] : [`where ${parts.join(' and ')}${or}`]), ...hours].join(' ');
}

/** What is different after, in words. */
function changeText({ before, after }: Region): string {
  const isSeen = (['may', 'throttled'] as const).some((key) => before[key].join() !== after[key].join());
  if (outcomeText(before) !== outcomeText(after) || isSeen)
    return `${fateText(before)} before, ${fateText(after)} after`;
  const trials = ({ would }: Fate): string => (would.length === 0 ? 'nothing' : would.join(', '));
  return `${outcomeText(after)} as before; only what trials would do changes, from ${trials(before)} to ${trials(after)}`;
}

/** What becomes of requests, and by which rule. */
export function fateText(fate: Fate): string {
  const { may, throttled, by } = fate;
  return [
    `${outcomeText(fate)}${by === undefined ? '' : ` by ${by}`}`,
    ...(may.length === 0 ? [] : [`unless stopped by ${may.join(', ')}`]),
    ...(throttled.length === 0 ? [] : [`delayed by ${throttled.join(', ')}`]),
  ].join(', ');
}

function outcomeText({ outcome, status, target }: Fate): string {
  if (outcome === 'blocked') return `blocked with ${status}${target === undefined ? '' : ` and the ${target}`}`;
  return outcome === 'redirected' ? `redirected to ${target}` : outcome;
}

/** Parts that hours, or what a gate sees, distinguish are no condition that a rule can have. */
function ruleOf({ gateAfter, gateBefore, conditions, isPartial }: Region): string | undefined {
  const [first] = conditions;
  const isPlain = conditions.every(
    ({ hours, unknown, only }) => unknown.length === 0 && only === undefined && hours.join() === first!.hours.join(),
  );
  if (
    !isPlain ||
    isPartial ||
    gateAfter === undefined ||
    gateAfter !== gateBefore ||
    first!.hours.some((text) => text.startsWith('not '))
  )
    return undefined;
  const some = conditions.map(({ condition }) => condition).filter((condition) => condition !== 'always');
  const when = some.length < conditions.length ? '' : ` and (${some.join(' or ')})`;
  return `rule region observe when gate = ${gateAfter}${when}${first!.hours.map((text) => ` ${text}`).join('')}`;
}
