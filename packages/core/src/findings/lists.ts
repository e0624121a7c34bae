import { listMentions } from '../language/mentions.js';
import type { ListStatement, Statement } from '../language/tree.js';
import type { Analysis } from './finding.js';

const listsOf = (statements: readonly Statement[]): ListStatement[] =>
  statements.flatMap((statement) => (statement.kind === 'list' ? [statement] : []));

/** By name of a list, how many times statements mention it. */
function countMentions(statements: readonly Statement[]): ReadonlyMap<string, number> {
  const counts = new Map<string, number>();
  for (const statement of statements)
    for (const mention of listMentions(statement))
      if (mention.kind === 'list' || (mention.kind === 'word' && mention.takesLists))
        counts.set(mention.name, (counts.get(mention.name) ?? 0) + 1);
  return counts;
}

/** A list that holds nothing, where something tests for its entries. */
export const emptyList: Analysis = {
  level: 'warning',
  find({ statements, rulebook }) {
    const counts = countMentions(statements);
    return listsOf(statements)
      .filter(({ name }) => rulebook.lists.get(name)!.numEntries === 0 && counts.has(name))
      .map(({ name, place }) => ({
        subject: `list ${name}`,
        place,
        message: `The list ${name} is empty, so no value is in it.`,
        hint: 'Add its entries, or take it out of what uses it.',
        evidence: [counts.get(name) === 1 ? 'It is used once.' : `It is used ${counts.get(name)} times.`],
      }));
  },
};

/** A list that nothing uses. */
export const unusedList: Analysis = {
  level: 'note',
  find({ statements }) {
    const counts = countMentions(statements);
    return listsOf(statements)
      .filter(({ name }) => !counts.has(name))
      .map(({ name, place }) => ({
        subject: `list ${name}`,
        place,
        message: `The list ${name} is used nowhere.`,
        hint: 'Use it in a rule, or delete it.',
        evidence: [],
        fix: [{ kind: 'remove', part: 'list', name }],
      }));
  },
};
