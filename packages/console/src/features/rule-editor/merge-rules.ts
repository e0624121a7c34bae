import { describeAction, describeCondition, printAction, printCondition, type Rule } from '@jadefence/core/language';

/** One part of a rule that was changed, in words; empty where the rule has none. */
export interface PartDifference {
  readonly part: string;
  readonly before: string;
  readonly theirs: string;
  readonly mine: string;
  /** Both changed it, and not to the same. */
  readonly isContested: boolean;
}

interface RulePart {
  readonly label: string;
  /** Equal texts are equal parts. */
  readonly print: (rule: Rule) => string;
  /** For people, where the printed text is not. */
  readonly describe?: (rule: Rule) => string;
  readonly take: (rule: Rule) => Partial<Rule>;
  readonly keys: readonly (keyof Rule)[];
}

const NO_SIZES = new Map();
const part = <K extends keyof Rule>(
  label: string,
  key: K,
  print: (value: NonNullable<Rule[K]>) => string,
): RulePart => ({
  label,
  keys: [key],
  print: (rule) => (rule[key] === undefined ? '' : print(rule[key])),
  take: (rule) => (rule[key] === undefined ? {} : { [key]: rule[key] }),
});
const text = (value: string): string => value;

const PARTS: readonly RulePart[] = [
  part('Name', 'name', text),
  part('Title', 'title', text),
  part('State', 'state', text),
  { ...part('Action', 'action', printAction), describe: ({ action }) => describeAction(action).replace(/,$/, '') },
  {
    ...part('Condition', 'condition', printCondition),
    describe: ({ condition }) => describeCondition(condition, NO_SIZES),
  },
  part('Hours', 'hours', ({ isOutside, schedule }) => `${isOutside ? 'outside' : 'during'} ${schedule.name}`),
  part('End', 'until', (until) => (until.kind === 'date' ? until.date : new Date(until.atUnixMs).toISOString())),
  part('Where unknown', 'matchesUnknown', (matches) => (matches ? 'matches' : 'does not match')),
  part('Owner', 'owner', text),
  part('Reason', 'reason', text),
];

/** What two people made of a rule, part by part; parts that are unchanged are left out. */
export function compareRules(before: Rule, theirs: Rule, mine: Rule): readonly PartDifference[] {
  return PARTS.flatMap(({ label, print, describe = print }) => {
    const [was, their, my] = [print(before), print(theirs), print(mine)];
    if (was === their && was === my) return [];
    return [
      {
        part: label,
        before: describe(before),
        theirs: describe(theirs),
        mine: describe(mine),
        isContested: was !== their && was !== my && their !== my,
      },
    ];
  });
}

/** Their rule with what I changed; what both changed is as I have it. */
export function mergeRules(before: Rule, theirs: Rule, mine: Rule): Rule {
  let merged = theirs;
  for (const { print, keys, take } of PARTS) {
    if (print(before) === print(mine)) continue;
    const rest = Object.fromEntries(Object.entries(merged).filter(([key]) => !keys.includes(key as keyof Rule)));
    merged = { ...(rest as unknown as Rule), ...take(mine) };
  }
  return merged;
}
