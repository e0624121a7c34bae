import type { CheckedGate, Rulebook } from '../check/rulebook.js';
import { specOf, type FieldName } from '../language/fields.js';
import type { Comparison, FenceStatement, Rule } from '../language/tree.js';
import { visitComparisons } from '../language/visit.js';
import type { CountryTable } from '../reference/country-table.js';
import { parseAddress, formatAddress } from '../request/address.js';
import { literalsOf } from './classes/values.js';
import type { Analysis } from './finding.js';

function comparisonsOf({ condition }: Rule): Comparison[] {
  const all: Comparison[] = [];
  visitComparisons(condition, (comparison) => all.push(comparison));
  return all;
}

/** Rules that are not off, in the order of definition. */
function liveRules({ fences }: Rulebook): { fence: FenceStatement; rule: Rule; name: string }[] {
  return fences.flatMap((fence) =>
    fence.rules
      .filter(({ state }) => state !== 'off')
      .map((rule) => ({ fence, rule, name: `${fence.name}/${rule.name}` })),
  );
}

/** A rule by a country of which the table has no address, so that it is the country of none. */
export const countryWithoutRanges: Analysis = {
  level: 'warning',
  find({ rulebook, referenceData }) {
    const { countries } = referenceData ?? {};
    if (!countries) return [];
    const known = countriesOf(countries);
    return liveRules(rulebook).flatMap(({ rule, name }) => {
      const some = comparisonsOf(rule).filter(({ field }) => field === 'country' || field === 'server country');
      // Lists of countries are made for more than one table.
      const written = some.flatMap(({ values }) =>
        values.flatMap((value) => (value.kind === 'country' ? [value.code] : [])),
      );
      const missing = [...new Set(written)].filter((code) => !known.has(code));
      if (missing.length === 0) return [];
      return [
        {
          subject: `rule ${name}`,
          rule: name,
          place: rule.place,
          message: `The rule ${name} compares with ${missing.join(', ')}, of which the country table has no address.`,
          hint: 'Check the code, or import a table that has it.',
          evidence: [],
        },
      ];
    });
  },
};

function countriesOf(countries: CountryTable): ReadonlySet<string> {
  const known = new Set(['no-country', 'internal']);
  for (const { family, first } of countries.ranges())
    known.add(countries.countryOf(parseAddress(formatAddress({ family, value: first }))!));
  return known;
}

/** A rule at a gate that does not look into encrypted requests, by what encryption hides. */
export const pathNeedsInspection: Analysis = {
  level: 'warning',
  find: ({ rulebook }) =>
    rulebook.gates.filter(hidesAll).flatMap(({ statement: { name: gate }, fences }) =>
      liveRules({ ...rulebook, fences }).flatMap(({ rule, name }) => {
        const fields = comparisonsOf(rule).map(({ field }) => field as FieldName);
        const hidden = [...new Set(fields)].filter((field) => field === 'url' || specOf(field).isEncrypted === true);
        if (hidden.length === 0 || rule.matchesUnknown) return [];
        return [
          {
            subject: `rule ${name}`,
            gate,
            rule: name,
            place: rule.place,
            message: `The rule ${name} looks at the ${hidden.join(' and ')}, which the gate ${gate} cannot see of encrypted requests.`,
            hint: 'Let the gate inspect them, compare the host instead, or add "if unknown match".',
            evidence: [],
          },
        ];
      }),
    ),
};

function hidesAll({ statement: { direction, inspection } }: CheckedGate): boolean {
  if (direction === 'inbound') return false;
  return !inspection || (!inspection.otherwise && inspection.rules.every(({ isInspected }) => !isInspected));
}

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
function allowedApplications(rule: Rule, { lists }: Rulebook): string[] {
  const some = comparisonsOf(rule).filter(({ field, isNegated }) => field === 'application' && !isNegated);
  const { values } = literalsOf(
    some.map((comparison) => ({ comparison })),
    lists,
  );
  return values.flatMap((value) => (value.kind === 'word' ? [value.name] : []));
}
