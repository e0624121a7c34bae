import { freeName } from '@jadefence/core/edit';
import { printValue, type Comparison, type Condition, type Rule } from '@jadefence/core/language';

const MOST_CHARACTERS = 40;
const MOST_VALUES = 2;

/** A name from what a rule does, such as `block-login` or `limit-offices`. @param taken names of the other rules of the fence */
export function proposeName({ action, condition }: Rule, taken: ReadonlySet<string>): string {
  const words = comparisonsOf(condition)
    .map(({ values, field }) =>
      values.length === 0 ? [field] : values.slice(0, MOST_VALUES).map((value) => printValue(value)),
    )
    .map((texts) => slug(texts.join('-')))
    .find((text) => text !== '');
  const name = words === undefined ? action.kind : `${action.kind}-${words}`;
  const short = name.slice(0, MOST_CHARACTERS).replace(/-+$/, '');
  return taken.has(short) ? freeName(short, taken) : short;
}

/** Those that are not negated come first: they show what the rule is about. */
function comparisonsOf(condition: Condition): Comparison[] {
  switch (condition.kind) {
    case 'always':
      return [];
    case 'comparison':
      return [condition];
    case 'not':
      return comparisonsOf(condition.part);
    case 'and':
    case 'or':
      return condition.parts
        .flatMap((part) => comparisonsOf(part).map((comparison) => ({ comparison, isNot: part.kind === 'not' })))
        .sort((a, b) => Number(a.isNot || a.comparison.isNegated) - Number(b.isNot || b.comparison.isNegated))
        .map(({ comparison }) => comparison);
  }
}

function slug(text: string): string {
  return text
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '');
}
