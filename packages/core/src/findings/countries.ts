/** Rules by country: tables, addresses without a country, and what "not in" takes with it. */
import { parseAddress, formatAddress, isInRange } from '../request/address.js';
import { INTERNAL, INTERNAL_NETWORKS, NO_COUNTRY, type CountryTable } from '../reference/country-table.js';
import type { Comparison, Value } from '../language/tree.js';
import { literalsOf, type Lists } from './classes/values.js';
import type { Analysis, Found } from './finding.js';
import {
  aboutRule,
  canStop,
  DAY_MS,
  comparisonsOf,
  liveRules,
  requiredComparisons,
  valuesOf,
  withComparison,
  type LiveRule,
} from './rules.js';

/** Networks change hands all the time; after a quarter of a year a few in a hundred addresses are elsewhere. */
const STALE_DAYS = 90;

const isByCountry = ({ field }: Comparison): boolean => field === 'country' || field === 'server country';

const rulesByCountry = (rulebook: Parameters<typeof liveRules>[0]): LiveRule[] =>
  liveRules(rulebook).filter(({ rule }) => comparisonsOf(rule).some(isByCountry));

/** A rule by a country of which the table has no address, so that it is the country of none. */
export const countryWithoutRanges: Analysis = {
  level: 'warning',
  find({ rulebook, referenceData }) {
    const { countries } = referenceData ?? {};
    if (!countries) return [];
    const known = countriesOf(countries);
    return rulesByCountry(rulebook).flatMap((item) => {
      // Lists of countries are made for more than one table.
      const written = comparisonsOf(item.rule)
        .filter(isByCountry)
        .flatMap(({ values }) => values.flatMap((value) => (value.kind === 'country' ? [value.code] : [])));
      const missing = [...new Set(written)].filter((code) => !known.has(code));
      if (missing.length === 0) return [];
      return [
        aboutRule(item, {
          message: `The rule ${item.name} compares with ${missing.join(', ')}, of which the country table has no address.`,
          hint: 'Check the code, or import a table that has it.',
        }),
      ];
    });
  },
};

const countriesIn = new WeakMap<CountryTable, ReadonlySet<string>>();

/** The countries that some address is in. */
export function countriesOf(countries: CountryTable): ReadonlySet<string> {
  const before = countriesIn.get(countries);
  if (before) return before;
  const known = new Set([NO_COUNTRY, INTERNAL]);
  for (const { family, first } of countries.ranges())
    known.add(countries.countryOf(parseAddress(formatAddress({ family, value: first }))!));
  countriesIn.set(countries, known);
  return known;
}

/** Rules by country without a table, so that every country is unknown. */
export const countryTableMissing: Analysis = {
  level: 'warning',
  find: ({ rulebook, referenceData }) =>
    referenceData?.countries
      ? []
      : aboutTable(
          rulesByCountry(rulebook),
          'there is no country table, so they match nothing',
          'Import a country table.',
        ),
};

/** Rules by country with a table that is old. */
export const countryTableStale: Analysis = {
  level: 'note',
  find({ rulebook, countryTableAtUnixMs, nowUnixMs }) {
    const days = Math.floor((nowUnixMs - (countryTableAtUnixMs ?? nowUnixMs)) / DAY_MS);
    if (days <= STALE_DAYS) return [];
    return aboutTable(rulesByCountry(rulebook), `the country table is ${days} days old`, 'Import a newer one.');
  },
};

/** One finding, at the first of the rules. */
function aboutTable(rules: readonly LiveRule[], what: string, hint: string): Found[] {
  const [first] = rules;
  if (!first) return [];
  const count = rules.length === 1 ? '1 rule looks' : `${rules.length} rules look`;
  return [
    {
      subject: 'the country table',
      rule: first.name,
      related: rules.slice(1).map(({ name }) => name),
      place: first.rule.place,
      message: `${count} at countries, and ${what}.`,
      hint,
      evidence: [],
    },
  ];
}

/** A stop of all but some countries, which leaves open whether addresses without a country are meant. */
export const notInWithoutNoCountry: Analysis = {
  level: 'warning',
  find: ({ rulebook }) =>
    liveRules(rulebook)
      .filter(({ rule }) => canStop(rule.action))
      .flatMap((item) => {
        const some = comparisonsOf(item.rule).filter(({ field }) => field === 'country');
        const named = new Set(some.flatMap((one) => codesOf(one, rulebook.lists)));
        const missing = [NO_COUNTRY, INTERNAL].filter((code) => !named.has(code));
        const negated = some.find(({ isNegated, operator }) => isNegated && operator === 'in');
        if (!negated || missing.length === 0) return [];
        const values = [
          ...negated.values,
          ...missing.map((code): Value => ({ kind: 'country', code, place: negated.place })),
        ];
        return [
          aboutRule(item, {
            message: `The rule ${item.name} stops all countries but some, and with them addresses of ${missing.join(' and ')}.`,
            hint: `Add ${missing.join(', ')} to the countries if these are not meant, or expect this finding in a comment.`,
            fix: [withComparison(item, negated, { ...negated, values })],
          }),
        ];
      }),
};

function codesOf(comparison: Comparison, lists: Lists): string[] {
  return valuesOf(comparison, lists).flatMap((value) => (value.kind === 'country' ? [value.code] : []));
}

/** A rule by the country of clients that have none, since their addresses are internal. */
export const privateAddressByCountry: Analysis = {
  level: 'warning',
  find: ({ rulebook, referenceData }) =>
    rulebook.gates.flatMap(({ statement, fences }) =>
      liveRules({ fences }).flatMap((item) => {
        const required = requiredComparisons(item.rule.condition).filter(({ isNegated }) => !isNegated);
        const byCountry = required.filter(
          (one) => one.field === 'country' && !codesOf(one, rulebook.lists).includes(INTERNAL),
        );
        if (byCountry.length === 0) return [];
        const clients = required.filter(({ field, operator }) => field === 'client' && operator !== 'present');
        const sets = [statement.clients, ...clients.map(({ values }) => values)].map((values) =>
          literalsOf([{ comparison: { ...byCountry[0]!, values } }], rulebook.lists),
        );
        const isInternal = sets.some(
          ({ values, hasDataset }) =>
            !hasDataset && values.length > 0 && values.every((value) => isAllInternal(value, referenceData?.countries)),
        );
        if (!isInternal) return [];
        return [
          aboutRule(item, {
            gate: statement.name,
            message: `The rule ${item.name} looks at the country of clients whose addresses at the gate ${statement.name} are internal and have none.`,
            hint: 'Compare "server country" if the country of the server is meant, or "country = internal".',
          }),
        ];
      }),
    ),
};

/** Whether a range lies within internal networks, and no table has another country for its ends. */
function isAllInternal(value: Value, countries: CountryTable | undefined): boolean {
  if (value.kind !== 'addresses') return false;
  const { family, first, last } = value.range;
  const ends = [first, last].map((end) => parseAddress(formatAddress({ family, value: end }))!);
  return (
    INTERNAL_NETWORKS.some((network) => ends.every((end) => isInRange(network, end))) &&
    ends.every((end) => !countries || countries.countryOf(end) === INTERNAL)
  );
}
