/** Two schedules that are meant to be each other's complement, and are not. */
import { printAction } from '../language/action-text.js';
import { printCondition } from '../language/condition-text.js';
import type { ScheduleStatement, Statement } from '../language/tree.js';
import type { Analysis, Found } from './finding.js';
import { aboutRule, liveRules, type LiveRule } from './rules.js';

const DAY_MINUTES = 24 * 60;
const WEEK_MINUTES = 7 * DAY_MINUTES;
const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
/** Schedules that leave more of the week out are not meant to fill it. */
const MAX_GAP_SHARE = 0.25;

/** The minutes of a week, from Monday on, that a schedule holds. */
function minutesOf({ weekly }: ScheduleStatement): Uint8Array {
  const held = new Uint8Array(WEEK_MINUTES);
  for (const { days, spans } of weekly)
    for (const day of days)
      for (const { fromMinute, toMinute } of spans) {
        const from = (day - 1) * DAY_MINUTES + fromMinute;
        const length = (toMinute - fromMinute + DAY_MINUTES) % DAY_MINUTES || DAY_MINUTES;
        for (let at = 0; at < length; at += 1) held[(from + at) % WEEK_MINUTES] = 1;
      }
  return held;
}

interface Pair {
  readonly item: LiveRule;
  readonly other: LiveRule;
  readonly both: Uint8Array;
  readonly neither: Uint8Array;
}

/** Rules of a fence under one condition, each in other hours, which together fill most of the week. */
function pairsOf(fences: Parameters<typeof liveRules>[0], statements: readonly Statement[]): Pair[] {
  const schedules = new Map(
    statements.flatMap((statement) => (statement.kind === 'schedule' ? [[statement.name, statement] as const] : [])),
  );
  const timed = liveRules(fences).filter(({ rule }) => rule.hours !== undefined && !rule.hours.isOutside);
  const byCondition = new Map<string, LiveRule[]>();
  for (const item of timed) {
    const key = `${item.fence.name} ${printCondition(item.rule.condition)}`;
    byCondition.set(key, [...(byCondition.get(key) ?? []), item]);
  }
  return [...byCondition.values()].flatMap((items) => {
    const [item, other] = items;
    const names = items.map(({ rule }) => rule.hours!.schedule.name);
    if (!item || !other || items.length !== 2 || names[0] === names[1]) return [];
    const [a, b] = names.map((name) => schedules.get(name));
    if (!a || !b || (a.zone ?? '') !== (b.zone ?? '')) return [];
    const [held, heldToo] = [minutesOf(a), minutesOf(b)];
    const neither = held.map((one, at) => (one === 0 && heldToo[at] === 0 ? 1 : 0));
    if (count(neither) > WEEK_MINUTES * MAX_GAP_SHARE) return [];
    return [{ item, other, neither, both: held.map((one, at) => (one === 1 && heldToo[at] === 1 ? 1 : 0)) }];
  });
}

function count(minutes: Uint8Array): number {
  return minutes.reduce((sum, one) => sum + one, 0);
}

function firstOf(minutes: Uint8Array): string {
  const at = minutes.indexOf(1);
  const ofDay = at % DAY_MINUTES;
  const two = (value: number): string => String(value).padStart(2, '0');
  return `${DAYS[Math.floor(at / DAY_MINUTES)]} ${two(Math.floor(ofDay / 60))}:${two(ofDay % 60)}`;
}

/** Minutes of the week that neither of two such rules holds. */
export const scheduleGap: Analysis = {
  level: 'warning',
  find: ({ rulebook, statements }) =>
    pairsOf(rulebook, statements)
      .filter(({ neither }) => count(neither) > 0)
      .map(({ item, other, neither }): Found =>
        aboutRule(item, {
          related: [other.name],
          message: `The hours of the rules ${item.name} and ${other.name} leave a gap: ${count(neither)} minutes a week, first ${firstOf(neither)}.`,
          hint: `Write "outside ${item.rule.hours!.schedule.name}" in ${other.name}, which leaves none.`,
        }),
      ),
};

/** Minutes of the week that both hold, where they do different things. */
export const scheduleOverlap: Analysis = {
  level: 'warning',
  find: ({ rulebook, statements }) =>
    pairsOf(rulebook, statements)
      .filter(
        ({ item, other, both }) => count(both) > 0 && printAction(item.rule.action) !== printAction(other.rule.action),
      )
      .map(({ item, other, both }): Found =>
        aboutRule(item, {
          related: [other.name],
          message: `The hours of the rules ${item.name} and ${other.name} overlap: ${count(both)} minutes a week, first ${firstOf(both)}.`,
          hint: `Write "outside ${item.rule.hours!.schedule.name}" in ${other.name}, which overlaps nowhere.`,
        }),
      ),
};
