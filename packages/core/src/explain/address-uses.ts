import { formatEntry } from '../check/members.js';
import type { Rulebook } from '../check/rulebook.js';
import { printCondition } from '../language/condition-text.js';
import type { Comparison } from '../language/tree.js';
import { visitComparisons } from '../language/visit.js';
import type { Address } from '../request/address.js';

/** What of a rulebook sees an address, or the country it lies in. */
export interface AddressUses {
  readonly lists: readonly { readonly list: string; readonly entry: string; readonly through: readonly string[] }[];
  /** Outbound gates whose clients hold the address. */
  readonly gates: readonly string[];
  /** Comparisons that are true of it, by rule. */
  readonly rules: readonly { readonly rule: string; readonly gates: readonly string[]; readonly comparison: string }[];
}

/** Fields that an address, or its country, can be the value of. */
const ADDRESS_FIELDS = ['client', 'peer', 'server'];
const COUNTRY_FIELDS = ['country', 'server country'];

/** Finds which lists hold an address or its country, which gates it would go out through, and which rules look at it. */
export function findAddressUses(rulebook: Rulebook, address: Address, country: string | undefined): AddressUses {
  const lists = [...rulebook.lists.values()].flatMap(({ name, kind, members, isBuiltIn }) => {
    if (isBuiltIn) return [];
    const value = kind === 'addresses' ? address : kind === 'countries' ? country : undefined;
    const membership = value === undefined ? undefined : members.find(value);
    return membership ? [{ list: name, entry: formatEntry(membership.entry), through: membership.through }] : [];
  });
  const gates = rulebook.gates
    .filter(({ statement, clients }) => statement.direction === 'outbound' && clients.find(address))
    .map(({ statement }) => statement.name);
  const rules = rulebook.fences.flatMap((fence) => {
    const at = rulebook.gates.filter(({ fences }) => fences.includes(fence)).map(({ statement }) => statement.name);
    return fence.rules.flatMap((rule) => {
      const seen: string[] = [];
      visitComparisons(rule.condition, (comparison) => {
        if (isTrueOf(comparison, rulebook, address, country)) seen.push(printCondition(comparison));
      });
      return seen.map((comparison) => ({ rule: `${fence.name}/${rule.name}`, gates: at, comparison }));
    });
  });
  return { lists, gates, rules };
}

function isTrueOf(
  comparison: Comparison,
  { lookups }: Rulebook,
  address: Address,
  country: string | undefined,
): boolean {
  const { field, operator, isNegated, values } = comparison;
  const isAddress = ADDRESS_FIELDS.includes(field);
  const value = isAddress ? address : COUNTRY_FIELDS.includes(field) ? country : undefined;
  if (value === undefined || operator === 'present') return false;
  const lookup = lookups.get(comparison);
  const holds =
    lookup?.kind === 'members'
      ? lookup.members.find(value) !== undefined
      : values.some((eachValue) =>
          eachValue.kind === 'addresses'
            ? eachValue.range.family === address.family && eachValue.range.first === address.value
            : eachValue.kind === 'country' && eachValue.code === country,
        );
  return holds !== isNegated;
}
