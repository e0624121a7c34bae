/** What is correct, and probably not what is meant. */
import type { CheckedGate } from '../check/rulebook.js';
import { printAction } from '../language/action-text.js';
import { printCondition } from '../language/condition-text.js';
import { isPersonAction, type Action, type Comparison, type Rule } from '../language/tree.js';
import type { Analysis, Found } from './finding.js';
import { hidesAll } from './inspection.js';
import {
  aboutRule,
  canStop,
  liveRules,
  positiveComparisons,
  requiredComparisons,
  wordsIn,
  type LiveRule,
} from './rules.js';

const PERSON_METHODS = ['GET', 'HEAD', 'POST'];

/** A stop without a condition. */
export const coversEverything: Analysis = {
  level: 'warning',
  find: ({ rulebook }) =>
    liveRules(rulebook)
      .filter(({ rule }) => rule.condition.kind === 'always' && !rule.hours && isStopAlways(rule.action))
      .map((item) => {
        const isLast = item.fence.rules.at(-1) === item.rule;
        return aboutRule(item, {
          level: isLast ? 'note' : 'warning',
          message: `The rule ${item.name} stops every request that reaches it.`,
          hint: isLast
            ? 'Write "otherwise block" at the end of the fence instead, which means the same.'
            : 'Give it a condition; no later rule of the fence is reached.',
        });
      }),
};

const isStopAlways = ({ kind }: Action): boolean => kind === 'block' || kind === 'redirect';

/** A limit that counts many clients together. */
export const limitKeyTooWide: Analysis = {
  level: 'note',
  find: ({ rulebook }) =>
    liveRules(rulebook).flatMap((item) => {
      const { action } = item.rule;
      if (action.kind !== 'limit') return [];
      const isNarrow = action.keys.some((key) =>
        key.kind === 'client'
          ? key.bits4 >= 16 && key.bits6 >= 32
          : ['user', 'cookie', 'header', 'query'].includes(key.field),
      );
      if (isNarrow) return [];
      const by = action.keys.length === 0 ? 'everyone' : 'what many clients share';
      return [
        aboutRule(item, {
          message: `The limit of the rule ${item.name} counts by ${by}, so that one client can use it up for all.`,
          hint: 'Count by client, too, unless all requests together are meant to be limited.',
        }),
      ];
    }),
};

/** A page for people, shown to what is no browser, or where none can be shown. */
export const holdOnMachine: Analysis = {
  level: 'warning',
  find: ({ rulebook }) =>
    rulebook.gates.flatMap((gate) =>
      liveRules(gate).flatMap((item) => {
        if (!isPersonAction(item.rule.action)) return [];
        const why = whyNoPerson(item.rule, gate);
        if (why === undefined) return [];
        return [
          aboutRule(item, {
            gate: gate.statement.name,
            message: `The rule ${item.name} waits for a person at the gate ${gate.statement.name}, but ${why}.`,
            hint: 'Block, limit or allow these requests instead.',
          }),
        ];
      }),
    ),
};

function whyNoPerson(rule: Rule, gate: CheckedGate): string | undefined {
  const required = requiredComparisons(rule.condition).filter(({ isNegated }) => !isNegated);
  const words = (field: string): string[] | undefined => {
    const comparison = required.find((one) => one.field === field && one.operator !== 'present');
    return comparison && wordsIn(comparison);
  };
  if (required.some(({ field }) => field === 'payload')) return 'it matches by first bytes, which no browser shows';
  if (words('transport')?.includes('tcp') === false) return 'no browser opens pages over that transport';
  if (words('method')?.every((method) => !PERSON_METHODS.includes(method)) === true)
    return 'only programs send requests of that method';
  if (hidesAll(gate) && words('scheme')?.every((scheme) => scheme === 'http' || scheme === 'ws') !== true)
    return 'it looks into no encrypted request, so that these fail without a page';
  return undefined;
}

/** A fence of rules that let through, at a gate that lets the rest through, too. */
export const openEndedAllowList: Analysis = {
  level: 'warning',
  find: ({ rulebook }) =>
    rulebook.gates
      .filter(({ statement }) => statement.otherwise.kind === 'allow')
      .flatMap(({ statement: { name: gate }, fences }) =>
        fences.flatMap((fence, index): Found[] => {
          const rules = liveRules({ fences: [fence] });
          const isOpen = fence.otherwise.kind === 'continue' || fence.otherwise.kind === 'allow';
          const doLaterStop = fences
            .slice(index + 1)
            .some(
              (later) => later.rules.some(({ action }) => canStop(action)) || isStopAlways(later.otherwise as Action),
            );
          const onlyAllow =
            rules.length > 0 &&
            rules.every(({ rule }) => rule.action.kind === 'allow' && rule.condition.kind !== 'always');
          if (!isOpen || !onlyAllow || doLaterStop) return [];
          return [
            {
              subject: `fence ${fence.name}`,
              gate,
              place: fence.place,
              message: `The fence ${fence.name} names what is let through, and the gate ${gate} lets the rest through, too.`,
              hint: 'End the fence with "otherwise block".',
              evidence: [],
            },
          ];
        }),
      ),
};

/** A rule that is off and does what another does. */
export const disabledClone: Analysis = {
  level: 'note',
  find: ({ rulebook }) =>
    rulebook.fences.flatMap((fence) => {
      const live = new Map(liveRules({ fences: [fence] }).map(({ rule, name }) => [textOf(rule), name]));
      return fence.rules
        .filter(({ state }) => state === 'off')
        .flatMap((rule): Found[] => {
          const twin = live.get(textOf(rule));
          const item: LiveRule = { fence, rule, name: `${fence.name}/${rule.name}` };
          if (twin === undefined) return [];
          return [
            aboutRule(item, {
              related: [twin],
              message: `The rule ${item.name} is off, and ${twin} does the same.`,
              hint: 'Delete it.',
              fix: [{ kind: 'remove-rule', fence: fence.name, rule: rule.name }],
            }),
          ];
        });
    }),
};

function textOf({ action, condition, hours, matchesUnknown }: Rule): string {
  const when = hours ? `${hours.isOutside ? 'outside' : 'during'} ${hours.schedule.name}` : '';
  return `${printAction(action)} ${printCondition(condition)} ${when} ${matchesUnknown}`;
}

/** A test that takes long for every request, since nothing cheaper is in front of it. */
export const costlyCondition: Analysis = {
  level: 'note',
  find: ({ rulebook }) =>
    liveRules(rulebook).flatMap((item) => {
      const costly = positiveComparisons(item.rule.condition).filter(isCostly);
      const cheap = requiredComparisons(item.rule.condition).filter((one) => !isCostly(one));
      if (costly.length === 0 || cheap.length > 0) return [];
      return [
        aboutRule(item, {
          message: `The rule ${item.name} searches every request for ${printCondition(costly[0]!)}.`,
          hint: 'Put a cheap test in front of it, such as the host or the method: "host = ... and ...".',
        }),
      ];
    }),
};

const isCostly = ({ operator, field }: Comparison): boolean =>
  operator === 'matches' || (field === 'payload' && operator === 'is');
