/** Claims about the order of rules as findings, in words. */
import type { Condition } from '../language/tree.js';
import { visitComparisons } from '../language/visit.js';
import { sortAttributeNames } from '../request/record.js';
import { countriesOf } from './countries.js';
import type { ExampleRequest, Finding, FindingLevel, ReviewInput } from './finding.js';
import type { OrderClaim } from './order.js';

type Words = Pick<Finding, 'message' | 'hint' | 'evidence' | 'fix'> & { readonly level?: FindingLevel };

const SHOWN_RULES = 3;

/** How each claim reads, and how serious it is unless the words have another level. */
const CLAIMS: Readonly<
  Record<OrderClaim['id'], { readonly level: FindingLevel; words(claim: OrderClaim, input: ReviewInput): Words }>
> = {
  'never-true': {
    level: 'error',
    words: ({ fence, rule }, input) => ({
      ...(missingData(rule.condition, input).length > 0 ? { level: 'warning' } : {}),
      message: `No request makes the condition of the rule ${fence.name}/${rule.name} true.`,
      hint: 'Correct the condition, or delete the rule.',
      evidence: missingData(rule.condition, input),
      fix: [{ kind: 'remove-rule', fence: fence.name, rule: rule.name }],
    }),
  },
  'always-true': {
    level: 'warning',
    words: ({ fence, rule }) => ({
      message: `The condition of the rule ${fence.name}/${rule.name} is false of no request.`,
      hint: 'Write "when always" if that is meant; else correct the condition: "or" between negations is true of everything.',
      evidence: [],
    }),
  },
  'never-reached': {
    level: 'warning',
    words: ({ fence, rule, gate, related }) => ({
      message:
        related.length === 0
          ? `The gate ${gate} judges no request that matches the rule ${fence.name}/${rule.name}.`
          : `The rule ${fence.name}/${rule.name} is never reached at the gate ${gate}: ${listRules(related)} ${related.length === 1 ? 'takes' : 'take'} every request that matches it.`,
      hint:
        related.length === 0
          ? 'Attach the fence to the gate that is meant, or correct the condition.'
          : `Move it above ${related[0]}, or delete it.`,
      evidence: [],
    }),
  },
  'no-effect': {
    level: 'note',
    words: ({ fence, rule, gate }, { rulebook }) => ({
      ...(rulebook.gates.filter(({ fences }) => fences.includes(fence)).length === 1
        ? { fix: [{ kind: 'remove-rule', fence: fence.name, rule: rule.name }] }
        : {}),
      message: `Without the rule ${fence.name}/${rule.name} the same comes of every request at the gate ${gate}.`,
      hint: 'Delete it, unless it is kept for what it records.',
      evidence: [],
    }),
  },
  'redirect-loop': {
    level: 'error',
    words: ({ fence, rule, related }) => ({
      message: `The rule ${fence.name}/${rule.name} sends clients to a target that is stopped itself${related.length === 0 ? '' : `, by ${listRules(related)}`}.`,
      hint: 'Let its target through above, or send them to a host that no gate judges.',
      evidence: [],
    }),
  },
  'partly-covered': {
    level: 'note',
    words: ({ fence, rule, gate, related }) => ({
      message: `Some requests that match the rule ${fence.name}/${rule.name} do not reach it at the gate ${gate}${related.length === 0 ? '' : `: ${listRules(related)} takes some of them`}.`,
      hint: 'If it should decide about them, move it up.',
      evidence: [],
    }),
  },
};

function listRules(names: readonly string[]): string {
  const more = names.length - SHOWN_RULES;
  const shown = names.slice(0, SHOWN_RULES);
  if (more > 0) return `${shown.join(', ')} and ${more} more`;
  return shown.length < 2 ? shown.join('') : `${shown.slice(0, -1).join(', ')} and ${shown.at(-1)}`;
}

/** Why a comparison can be unknown of every request. */
function missingData(condition: Condition, { referenceData = {} }: ReviewInput): string[] {
  const fields = new Set<string>();
  visitComparisons(condition, ({ field }) => fields.add(field));
  const { countries } = referenceData;
  const codes: string[] = [];
  if (countries)
    visitComparisons(condition, ({ values }) => {
      for (const value of values) if (value.kind === 'country') codes.push(value.code);
    });
  const known = codes.length > 0 ? countriesOf(countries!) : undefined;
  const missing = [...new Set(codes)].filter((code) => !known!.has(code));
  return [
    ...(missing.length > 0 ? [`The country table has no address of ${missing.join(', ')}.`] : []),
    ...(!referenceData.countries && (fields.has('country') || fields.has('server country'))
      ? ['There is no country table, so that every country is unknown.']
      : []),
    ...(!referenceData.categories && fields.has('category')
      ? ['There is no category feed, so that every category is unknown.']
      : []),
  ];
}

export function findingOf(claim: OrderClaim, input: ReviewInput): Finding {
  const { id, gate, fence, rule, related, example, atUnixMs } = claim;
  const { level, words } = CLAIMS[id];
  const name = `${fence.name}/${rule.name}`;
  return {
    id,
    level,
    subject: `rule ${name}`,
    ...(gate === undefined ? {} : { gate }),
    rule: name,
    related,
    place: rule.place,
    ...words(claim, input),
    ...(example === undefined ? {} : { example: lineOf(example, atUnixMs!) }),
  };
}

function lineOf(attributes: NonNullable<OrderClaim['example']>, atUnixMs: number): ExampleRequest {
  const entries = sortAttributeNames(Object.keys(attributes)).map((name) => [name, attributes[name]] as const);
  return Object.fromEntries([['timestamp', new Date(atUnixMs).toISOString()], ...entries]) as ExampleRequest;
}
