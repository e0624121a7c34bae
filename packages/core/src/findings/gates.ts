import type { CheckedGate } from '../check/rulebook.js';
import type { Comparison, Value } from '../language/tree.js';
import { FAMILY_BITS, formatRange } from '../request/address.js';
import { isUnderDomain } from '../request/host.js';
import type { Analysis, Found } from './finding.js';
import { aboutRule, canStop, comparisonsOf, liveRules, requiredComparisons, valuesOf } from './rules.js';
import { literalsOf, type Lists } from './classes/values.js';

/** A gate that evaluates nothing: its requests meet its otherwise. */
export const gateWithoutFence: Analysis = {
  level: 'warning',
  find: ({ rulebook }) =>
    rulebook.gates
      .filter(({ fences }) => fences.length === 0)
      .map(({ statement: { name, place } }) => ({
        subject: `gate ${name}`,
        place,
        message: `The gate ${name} has no fence, so no rule is evaluated for its requests.`,
        hint: 'Attach a fence, or delete the gate.',
        evidence: [],
      })),
};

/** A fence whose rules no request reaches. */
export const fenceWithoutGate: Analysis = {
  level: 'warning',
  find({ rulebook }) {
    const attached = new Set(rulebook.gates.flatMap(({ fences }) => fences));
    return rulebook.fences
      .filter((fence) => !attached.has(fence))
      .map(({ name, place, rules }) => ({
        subject: `fence ${name}`,
        place,
        message: `The fence ${name} is at no gate, so its rules are never evaluated.`,
        hint: 'Attach it to a gate, or delete it.',
        evidence: [rules.length === 1 ? 'It has 1 rule.' : `It has ${rules.length} rules.`],
      }));
  },
};

/** A host that a rule names, and that no gate of its fence protects. */
export const uncoveredHost: Analysis = {
  level: 'warning',
  find: ({ rulebook: { gates, fences, lists } }) =>
    fences.flatMap((fence) => {
      const ofFence = gates.filter((gate) => gate.fences.includes(fence));
      if (ofFence.length === 0 || ofFence.some(({ statement }) => statement.direction === 'outbound')) return [];
      return liveRules({ fences: [fence] }).flatMap((item) => {
        const hosts = requiredComparisons(item.rule.condition)
          .filter(({ field, operator, isNegated }) => field === 'host' && !isNegated && NAMING.includes(operator))
          .flatMap(({ values }) => values.flatMap((value) => nameOf(value) ?? []));
        const uncovered = hosts.filter((host) => !ofFence.some((gate) => doesCover(gate, host, lists)));
        if (uncovered.length === 0) return [];
        return [
          aboutRule(item, {
            message: `The rule ${item.name} names ${uncovered.slice(0, SHOWN).join(', ')}, which no gate of the fence ${fence.name} protects.`,
            hint: 'Add the host to the gate, correct its name, or take it out.',
          }),
        ];
      });
    }),
};

const NAMING: readonly Comparison['operator'][] = ['=', 'in', 'under'];
const SHOWN = 3;

function nameOf(value: Value): string | undefined {
  if (value.kind === 'domain') return value.entry.name;
  return value.kind === 'text' ? value.text : undefined;
}

/** Whether a gate protects a host, or one below it. */
function doesCover({ hosts, statement }: CheckedGate, host: string, lists: Lists): boolean {
  if (hosts.find(host) || hosts.find(`x.${host}`)) return true;
  const own = literalsOf([{ comparison: { values: statement.hosts } as Comparison }], lists).values;
  return own.some((value) => value.kind === 'domain' && isUnderDomain(value.entry.name, host));
}

/** Of larger networks the addresses are not those of proxies only. */
const MOST_PROXY_BITS = { 4: 24, 6: 112 } as const;
/** Headers in which proxies write the address of the client. */
const ADDRESS_HEADERS = ['forwarded', 'x-forwarded-for', 'x-real-ip'];

/** A header with an address that is believed of every sender. */
export const untrustedHeader: Analysis = {
  level: 'error',
  find: ({ rulebook }) => {
    const ofGates = rulebook.gates.flatMap(({ statement }): Found[] => {
      const { clientFrom, name, place } = statement;
      const { values } = literalsOf(
        [{ comparison: { values: clientFrom?.trusting ?? [] } as unknown as Comparison }],
        rulebook.lists,
      );
      const wide = values.flatMap((value) =>
        value.kind === 'addresses' &&
        value.range.last - value.range.first >= 1n << BigInt(MOST_PROXY_BITS[value.range.family])
          ? [value.range]
          : [],
      );
      if (!clientFrom || wide.length === 0) return [];
      const isAnyone = wide.some(
        ({ family, first, last }) => last - first === (1n << BigInt(FAMILY_BITS[family])) - 1n,
      );
      return [
        {
          subject: `gate ${name}`,
          gate: name,
          place,
          ...(isAnyone ? {} : { level: 'warning' }),
          message: `The gate ${name} believes the header ${clientFrom.header} from ${formatRange(wide[0]!)}, so that clients can name any address as theirs.`,
          hint: 'Trust the addresses of the proxies only.',
          evidence: [],
        },
      ];
    });
    const ofRules = liveRules(rulebook).flatMap((item) =>
      item.rule.action.kind !== 'allow'
        ? []
        : comparisonsOf(item.rule)
            .filter(({ field, parameter = '' }) => field === 'header' && ADDRESS_HEADERS.includes(parameter))
            .map(({ parameter }) =>
              aboutRule(item, {
                level: 'warning',
                message: `The rule ${item.name} lets through by the header ${parameter}, which any client can send.`,
                hint: `Write "client from header ${parameter} trusting ..." at the gate, and compare the client.`,
              }),
            ),
    );
    return [...ofGates, ...ofRules];
  },
};

/** A gate that stops by category, and leaves open what happens to the rest. */
export const noCategoryFallback: Analysis = {
  level: 'note',
  find: ({ rulebook: { gates, lists } }) =>
    gates.flatMap(({ statement, fences }): Found[] => {
      const rules = liveRules({ fences });
      const isByCategory = ({ field }: Comparison): boolean => field === 'category';
      const stops = rules.filter(
        ({ rule }) => canStop(rule.action) && comparisonsOf(rule).some((one) => isByCategory(one) && !one.isNegated),
      );
      const doesSay = rules.some(({ rule }) =>
        comparisonsOf(rule)
          .filter(isByCategory)
          .some(
            (one) =>
              one.isNegated ||
              valuesOf(one, lists).some((value) => value.kind === 'word' && value.name === 'uncategorised'),
          ),
      );
      if (stops.length === 0 || doesSay || statement.otherwise.kind !== 'allow') return [];
      return [
        {
          subject: `gate ${statement.name}`,
          gate: statement.name,
          related: stops.map(({ name }) => name),
          place: statement.place,
          message: `The gate ${statement.name} stops by category, and no rule decides about hosts that no feed knows: they pass.`,
          hint: 'Add a rule with "category = uncategorised": observe, warn or block.',
          evidence: [],
        },
      ];
    }),
};
