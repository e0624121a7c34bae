/** Tags: who sets them, and who looks at them. */
import type { Analysis } from './finding.js';
import { aboutRule, comparisonsOf, liveRules, requiredComparisons, wordsIn } from './rules.js';

/** A tag that no rule looks at. */
export const tagNeverRead: Analysis = {
  level: 'note',
  find({ rulebook }) {
    const readers = liveRules(rulebook).flatMap(({ rule }) =>
      comparisonsOf(rule).filter(({ field }) => field === 'tag'),
    );
    if (readers.some(({ operator }) => operator === 'present')) return [];
    const read = new Set(
      readers.flatMap(({ values }) => values.flatMap((value) => (value.kind === 'text' ? [value.text] : []))),
    );
    return liveRules(rulebook).flatMap(({ rule, name }) => {
      const unread = rule.action.kind === 'tag' ? rule.action.tags.filter((tag) => !read.has(tag)) : [];
      if (unread.length === 0) return [];
      return [
        {
          subject: `rule ${name}`,
          rule: name,
          place: rule.place,
          message: `The rule ${name} sets the ${unread.length === 1 ? 'tag' : 'tags'} ${unread.join(', ')}, which no rule looks at.`,
          hint: 'Test it in a later rule, or delete it; filters of decisions see it, too.',
          evidence: [],
        },
      ];
    });
  },
};

/** A rule that requires a tag which, at a gate, only later rules set. */
export const tagSetLater: Analysis = {
  level: 'warning',
  find: ({ rulebook }) =>
    rulebook.gates.flatMap(({ statement: { name: gate }, fences }) => {
      const rules = liveRules({ fences });
      const setters = rules.flatMap(({ rule: { action }, name }, index) =>
        action.kind === 'tag' ? [{ tags: action.tags, name, index }] : [],
      );
      return rules.flatMap((item, index) =>
        requiredComparisons(item.rule.condition)
          .filter(({ field, isNegated }) => field === 'tag' && !isNegated)
          .flatMap((comparison) => {
            const tags = wordsIn(comparison);
            const setting = setters.filter((setter) => setter.tags.some((tag) => tags.includes(tag)));
            if (setting.length === 0 || setting.some((setter) => setter.index < index)) return [];
            const names = setting.map(({ name }) => name);
            return [
              aboutRule(item, {
                gate,
                related: names,
                message: `The rule ${item.name} requires the tag ${tags.join(' or ')}, which at the gate ${gate} only ${names[0]} sets, below it.`,
                hint: `Move it below ${names[0]}, or that one up.`,
              }),
            ];
          }),
      );
    }),
};
