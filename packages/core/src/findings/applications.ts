/** Rules by application, port and transport. */
import type { Rule, Value } from '../language/tree.js';
import { literalsOf } from './classes/values.js';
import type { Analysis, ReviewInput } from './finding.js';
import { aboutRule, canStop, comparisonsOf, liveRules, requiredComparisons, withComparison, wordsIn } from './rules.js';

/** An application that is let through where what it needs is not. */
export const missingNeed: Analysis = {
  level: 'warning',
  find: ({ rulebook }) =>
    rulebook.gates
      .filter(({ statement }) => statement.otherwise.kind !== 'allow')
      .flatMap(({ statement: { name: gate }, fences }) => {
        const allowing = liveRules({ ...rulebook, fences }).filter(({ rule }) => rule.action.kind === 'allow');
        const allowed = allowing.map((item) => ({ ...item, names: allowedApplications(item.rule, rulebook) }));
        const all = new Set(allowed.flatMap(({ names }) => names));
        // A rule by something else may let through what is needed.
        if (allowed.some(({ names }) => names.length === 0)) return [];
        return allowed.flatMap(({ rule, name, names }) =>
          names.flatMap((application) => {
            const { needs = [] } = rulebook.applications.find((one) => one.name === application) ?? {};
            return needs
              .filter((need) => !all.has(need.name))
              .map((need) => ({
                subject: `rule ${name}`,
                gate,
                rule: name,
                place: rule.place,
                message: `The rule ${name} lets ${application} through, which needs ${need.name}; no rule at the gate ${gate} lets that through.`,
                hint: `Write: application in ${application}, ${need.name}.`,
                evidence: [],
              }));
          }),
        );
      }),
};

/** The applications that a rule names without negation. */
function allowedApplications(rule: Rule, { lists }: ReviewInput['rulebook']): string[] {
  const some = comparisonsOf(rule).filter(({ field, isNegated }) => field === 'application' && !isNegated);
  const { values } = literalsOf(
    some.map((comparison) => ({ comparison })),
    lists,
  );
  return values.flatMap((value) => (value.kind === 'word' ? [value.name] : []));
}

/** A rule that lets anything through on a port, at a gate that stops what no rule lets through. */
export const portWithoutApplication: Analysis = {
  level: 'warning',
  find: ({ rulebook }) =>
    rulebook.gates
      .filter(({ statement: { direction, otherwise } }) => direction === 'outbound' && otherwise.kind !== 'allow')
      .flatMap(({ statement: { name: gate }, fences }) =>
        liveRules({ fences }).flatMap((item) => {
          if (item.rule.action.kind !== 'allow') return [];
          const fields = new Set(comparisonsOf(item.rule).map(({ field }) => field));
          const isByPort = requiredComparisons(item.rule.condition).some(
            (one) => one.field === 'port' && !one.isNegated,
          );
          const isNarrow = ['application', 'payload', 'host', 'site', 'url', 'category', 'server'].some((field) =>
            fields.has(field as 'host'),
          );
          if (!isByPort || isNarrow) return [];
          return [
            aboutRule(item, {
              gate,
              message: `The rule ${item.name} lets anything through on its port at the gate ${gate}, whatever speaks there.`,
              hint: 'Add the application that is meant: "and application = ...".',
            }),
          ];
        }),
      ),
};

/** A stop by TCP and UDP that lets ICMP pass. */
export const incompleteTransport: Analysis = {
  level: 'note',
  find: ({ rulebook }) =>
    liveRules(rulebook).flatMap((item) => {
      if (!canStop(item.rule.action)) return [];
      const comparison = requiredComparisons(item.rule.condition).find(
        ({ field, operator, isNegated }) => field === 'transport' && operator === 'in' && !isNegated,
      );
      const words = new Set(comparison && wordsIn(comparison));
      const doesReadPorts = comparisonsOf(item.rule).some(({ field }) => field === 'port');
      if (!comparison || doesReadPorts || !words.has('tcp') || !words.has('udp') || words.has('icmp')) return [];
      const values = [...comparison.values, wordLike(comparison.values[0]!, 'icmp')];
      return [
        aboutRule(item, {
          message: `The rule ${item.name} stops TCP and UDP, and lets ICMP pass.`,
          hint: 'Add icmp, or leave the transport out.',
          fix: [withComparison(item, comparison, { ...comparison, values })],
        }),
      ];
    }),
};

function wordLike(value: Value, word: string): Value {
  return value.kind === 'text' ? { ...value, text: word } : { kind: 'word', name: word, place: value.place };
}
