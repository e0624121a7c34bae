import type { FenceStatement, Rule } from '../language/tree.js';
import type { Rulebook } from '../check/rulebook.js';
import type { Analysis } from './finding.js';
import { DAY_MS } from './rules.js';

const SOON_DAYS = 7;

interface EndingRule {
  readonly fence: FenceStatement;
  readonly rule: Rule;
  readonly endsAtUnixMs: number;
}

function endingRules({ fences, endsAtUnixMs }: Rulebook): EndingRule[] {
  return fences.flatMap((fence) =>
    fence.rules.flatMap((rule) => {
      const ends = endsAtUnixMs.get(rule);
      return ends === undefined ? [] : [{ fence, rule, endsAtUnixMs: ends }];
    }),
  );
}

/** A rule whose last day is over. */
export const expired: Analysis = {
  level: 'note',
  find: ({ rulebook, nowUnixMs }) =>
    endingRules(rulebook)
      .filter((ending) => ending.endsAtUnixMs <= nowUnixMs)
      .map(({ fence, rule, endsAtUnixMs }) => ({
        subject: `rule ${fence.name}/${rule.name}`,
        place: rule.place,
        message: `The rule ${fence.name}/${rule.name} has expired and matches nothing any more.`,
        hint: 'Delete it, or give it a later end.',
        evidence: [`It ended at ${new Date(endsAtUnixMs).toISOString()}.`],
        fix: [{ kind: 'remove-rule', fence: fence.name, rule: rule.name }],
      })),
};

/** A rule whose last day is near. */
export const expiresSoon: Analysis = {
  level: 'note',
  find: ({ rulebook, nowUnixMs }) =>
    endingRules(rulebook)
      .filter(({ endsAtUnixMs }) => endsAtUnixMs > nowUnixMs && endsAtUnixMs - nowUnixMs <= SOON_DAYS * DAY_MS)
      .map(({ fence, rule, endsAtUnixMs }) => ({
        subject: `rule ${fence.name}/${rule.name}`,
        place: rule.place,
        message: `The rule ${fence.name}/${rule.name} expires within ${SOON_DAYS} days.`,
        hint: 'Give it a later end if it is still needed.',
        evidence: [`It ends at ${new Date(endsAtUnixMs).toISOString()}.`],
      })),
};
