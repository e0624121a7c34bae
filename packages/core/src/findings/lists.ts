import { listMentions } from '../language/mentions.js';
import type { ResolvedList } from '../check/members.js';
import type { ListStatement, Statement, Value } from '../language/tree.js';
import { formatRange, parseAddress, formatAddress, type Address } from '../request/address.js';
import type { Analysis, Found } from './finding.js';
import { canStop, comparisonsOf, liveRules } from './rules.js';

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

/** Of longer lists no more entries are compared. */
const MAX_COMPARED = 20_000;
const SHOWN = 3;

/** Two lists of a fence, one of what is let through and one of what is stopped, that hold the same. */
export const listOverlap: Analysis = {
  level: 'note',
  find: ({ rulebook }) =>
    rulebook.fences.flatMap((fence) => {
      const rules = liveRules({ fences: [fence] });
      const listsBy = (isWanted: (item: (typeof rules)[number]) => boolean): ResolvedList[] => {
        const names = rules
          .filter(isWanted)
          .flatMap(({ rule }) => comparisonsOf(rule))
          .flatMap(({ values, isNegated }) =>
            isNegated ? [] : values.flatMap((value) => (value.kind === 'list' ? [value.name] : [])),
          );
        return [...new Set(names)].map((name) => rulebook.lists.get(name)!).filter(({ isBuiltIn }) => !isBuiltIn);
      };
      const passing = listsBy(({ rule }) => rule.action.kind === 'allow');
      const stopped = listsBy(({ rule }) => canStop(rule.action));
      return passing.flatMap((one) =>
        stopped
          .filter((other) => other.kind === one.kind && other !== one && !isMember(one, other) && !isMember(other, one))
          .flatMap((other): Found[] => {
            const shared = [...new Set([...sharedOf(one, other), ...sharedOf(other, one)])];
            if (shared.length === 0) return [];
            const more = shared.length > SHOWN ? ` and ${shared.length - SHOWN} more` : '';
            return [
              {
                subject: `list ${one.name}`,
                place: fence.place,
                message: `The lists ${one.name} and ${other.name} both hold ${shared.slice(0, SHOWN).join(', ')}${more}; the fence ${fence.name} lets one through and stops the other.`,
                hint: 'Take them out of one list, or write them behind "except", so that the order of the rules does not decide.',
                evidence: [],
              },
            ];
          }),
      );
    }),
};

/** Whether a list names another as an entry, or takes it out. */
function isMember({ source }: ResolvedList, { name }: ResolvedList): boolean {
  return [...source.entries, ...source.exceptions].some((value) => value.kind === 'list' && value.name === name);
}

/** Entries of a list that another holds, too. */
function sharedOf(one: ResolvedList, other: ResolvedList): string[] {
  return one.source.entries.slice(0, MAX_COMPARED).flatMap((value) => {
    const sample = sampleOf(value);
    if (sample === undefined || !one.members.find(sample.value) || !other.members.find(sample.value)) return [];
    return [sample.text];
  });
}

function sampleOf(value: Value): { value: Address | string; text: string } | undefined {
  switch (value.kind) {
    case 'addresses': {
      const { family, first } = value.range;
      return { value: parseAddress(formatAddress({ family, value: first }))!, text: formatRange(value.range) };
    }
    case 'country':
      return { value: value.code, text: value.code };
    case 'domain': {
      const { name, reach } = value.entry;
      return { value: reach === 'below' ? `x.${name}` : name, text: name };
    }
    case 'word':
      return { value: value.name, text: value.name };
    default:
      return undefined;
  }
}
