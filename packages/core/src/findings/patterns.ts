/** Literals that match something else than they look like. */
import type { Rulebook } from '../check/rulebook.js';
import { printCondition } from '../language/condition-text.js';
import type { Comparison, Statement, Value } from '../language/tree.js';
import { formatRange, parseNetwork } from '../request/address.js';
import type { Analysis, Found } from './finding.js';
import { aboutRule, comparisonsOf, liveRules, withComparison, type LiveRule } from './rules.js';

const HOST = /^[a-z0-9-]+(\.[a-z0-9-]+)+$/;
const PATH = /^(\/[^/?*]+)+$/;
const SHOWN = 3;

/** A pattern that has no end where a name has one, and so matches other names, too. */
export const lookalike: Analysis = {
  level: 'warning',
  find: ({ rulebook }) =>
    liveRules(rulebook).flatMap((item) =>
      comparisonsOf(item.rule)
        .filter(({ field }) => field === 'host' || field === 'site' || field === 'path')
        .flatMap((comparison) =>
          comparison.values.flatMap((value, index) => lookalikesOf(item, comparison, value, index, rulebook)),
        ),
    ),
};

function lookalikesOf(
  item: LiveRule,
  comparison: Comparison,
  value: Value,
  index: number,
  { lookups }: Rulebook,
): Found[] {
  const isPath = comparison.field === 'path';
  const meant = value.kind === 'text' ? nameIn(comparison, value.text, isPath) : undefined;
  const tests = lookups.get(comparison);
  if (meant === undefined || tests?.kind !== 'tests') return [];
  const test = tests.testsFor({})[index]!;
  const names = (isPath ? neighbourPaths(meant) : neighbourHosts(meant)).filter((name) => test(name));
  if (names.length === 0) return [];
  const meantValue: Value = isPath
    ? { kind: 'text', text: meant, place: value.place }
    : { kind: 'domain', entry: { name: meant, reach: 'whole' }, place: value.place };
  const under: Comparison = { ...comparison, operator: 'under', isAnyCase: false, values: [meantValue] };
  const isAlone = comparison.values.length === 1;
  return [
    aboutRule(item, {
      ...(isPath ? { level: 'note' } : {}),
      message: `The rule ${item.name} compares ${printCondition({ ...comparison, isNegated: false, values: [value] })}, which ${names.slice(0, SHOWN).join(', ')} match, too.`,
      hint: `Write: ${printCondition({ ...under, isNegated: false })}, which is that ${isPath ? 'path' : 'name'} and what is below it.`,
      ...(isAlone ? { fix: [withComparison(item, comparison, under)] } : {}),
    }),
  ];
}

/** The name that a pattern is about, where it is about one. */
function nameIn({ operator }: Comparison, text: string, isPath: boolean): string | undefined {
  if (isPath) return operator === 'starts' && PATH.test(text) ? text : undefined;
  const stripped: Partial<Record<Comparison['operator'], string>> = {
    like: text.replace(/^\*|\*$/g, ''),
    matches: text.replace(/^\(\?i\)/, '').replace(/^\^|\$$|\\(?=\.)/g, ''),
    starts: text,
    ends: text,
    contains: text,
  };
  const name = stripped[operator] ?? '';
  return HOST.test(name) ? name : undefined;
}

/** Names of others that look like one. */
function neighbourHosts(name: string): string[] {
  return [`not${name}`, `${name}.other.example`, `my-${name}`, name.replace('.', 'x'), `${name}-other.example`];
}

function neighbourPaths(path: string): string[] {
  return [`${path}-old`, `${path}x`, `${path}.txt`];
}

/** A text that begins like a network, compared with something that has a network to be compared with. */
export const addressPattern: Analysis = {
  level: 'warning',
  find: ({ rulebook }) =>
    liveRules(rulebook).flatMap((item) =>
      comparisonsOf(item.rule)
        .filter(({ field }) => field === 'host' || field === 'header')
        .flatMap((comparison) =>
          comparison.values.flatMap((value) => {
            const network = value.kind === 'text' ? networkIn(comparison, value.text) : undefined;
            if (network === undefined) return [];
            const field = comparison.field === 'host' ? 'server' : 'client';
            return [
              aboutRule(item, {
                message: `The rule ${item.name} compares ${printCondition({ ...comparison, isNegated: false, values: [value] })}, a text that looks like a network.`,
                hint: `Write: ${field} in ${network}, which compares addresses.`,
              }),
            ];
          }),
        ),
    ),
};

/** The network of addresses that begin as a pattern does. */
function networkIn({ operator }: Comparison, text: string): string | undefined {
  const plain =
    operator === 'starts'
      ? text
      : operator === 'like' && text.endsWith('*')
        ? text.slice(0, -1)
        : operator === 'matches' && text.startsWith('^')
          ? text.slice(1).replace(/\\(?=\.)/g, '')
          : '';
  const octets = /^((?:\d{1,3}\.){1,3})$/.exec(plain)?.[1]?.slice(0, -1).split('.');
  if (!octets) return undefined;
  const network = parseNetwork(`${[...octets, 0, 0, 0].slice(0, 4).join('.')}/${octets.length * 8}`);
  return network && formatRange(network);
}

/** A network that is written with bits behind its prefix. */
export const hostBits: Analysis = {
  level: 'note',
  find({ rulebook, statements }) {
    const ofStatements = statements.flatMap((statement) => {
      const values =
        statement.kind === 'list' && statement.source.kind === 'inline'
          ? [...statement.source.entries, ...statement.source.exceptions]
          : statement.kind === 'gate'
            ? [...statement.clients, ...(statement.clientFrom?.trusting ?? [])]
            : [];
      return values
        .filter((value) => value.kind === 'addresses' && value.hadHostBits)
        .map((value): Found => hostBitsIn(`${statement.kind} ${nameOf(statement)}`, value));
    });
    const ofRules = liveRules(rulebook).flatMap((item) =>
      comparisonsOf(item.rule).flatMap(({ values }) =>
        values
          .filter((value) => value.kind === 'addresses' && value.hadHostBits)
          .map((value): Found => ({ ...hostBitsIn(`rule ${item.name}`, value), rule: item.name })),
      ),
    );
    return [...ofStatements, ...ofRules];
  },
};

function nameOf(statement: Statement): string {
  return 'name' in statement ? statement.name : '';
}

function hostBitsIn(subject: string, value: Value): Found {
  const network = value.kind === 'addresses' ? formatRange(value.range) : '';
  return {
    subject,
    place: value.place,
    message: `A network of the ${subject} is written with bits behind its prefix; it is ${network}.`,
    hint: `Write ${network}, or the address without a prefix if only that is meant.`,
    evidence: [],
  };
}

/** A path with two slashes, which only requests with both have. */
export const doubleSlash: Analysis = {
  level: 'warning',
  find: ({ rulebook }) =>
    pathLiterals(rulebook, /\/\//).map(({ item, text }) =>
      aboutRule(item, {
        message: `The rule ${item.name} compares the path with ${text}; requests with one slash are not meant by it.`,
        hint: 'Write one slash; "paths merge-slashes" of a gate reads several as one, as many servers do.',
      }),
    ),
};

/** A path with an escape that stays one in normal form, so that requests which are not escaped do not match. */
export const encodedPath: Analysis = {
  level: 'note',
  find: ({ rulebook }) =>
    pathLiterals(rulebook, /%(2F|5C|00|25)/).map(({ item, text }) =>
      aboutRule(item, {
        message: `The rule ${item.name} compares the path with ${text}, an escape that is not decoded: only requests that escape it match.`,
        hint: 'Compare the path without the escape, too, if the server behind the gate decodes it.',
      }),
    ),
};

function pathLiterals(rulebook: Rulebook, pattern: RegExp): { item: LiveRule; text: string }[] {
  return liveRules(rulebook).flatMap((item) =>
    comparisonsOf(item.rule)
      .filter(({ field, operator }) => (field === 'path' || field === 'url') && operator !== 'matches')
      .flatMap(({ values }) =>
        values.flatMap((value) => {
          const text = value.kind === 'url' ? value.path : value.kind === 'text' ? value.text : '';
          return pattern.test(text) ? [{ item, text }] : [];
        }),
      ),
  );
}
