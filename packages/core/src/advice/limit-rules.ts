/** The rules that count for limit advice. */
import { printFences } from '../language/printer.js';
import { parseFences } from '../language/parser.js';
import type { FenceStatement, Rule, Statement } from '../language/tree.js';
import type { Diagnostic } from '../language/diagnostic.js';
import { ruleId } from '../decide/decision.js';

/** A limit that there is not yet, as its parts are written in a rule. */
export interface ProposedLimit {
  /** `client, method`, or `everyone`. */
  readonly by: string;
  /** `5m`. */
  readonly within: string;
  /** A condition; all requests where absent. */
  readonly when?: string;
  /** Only requests of this gate count. */
  readonly gate?: string;
}

/** What advice is wanted about: a limit of the rules, or one that there is not yet. */
export type LimitSubject = { readonly rule: string } | ProposedLimit;

export interface CountingRules {
  /** Fence text that counts: to be checked like any other. */
  readonly text: string;
  /** The rule whose counters show how high keys get, as `fence/rule`. */
  readonly counted: string;
  /** The one that counts the same of the spared clients only. */
  readonly spared: string | undefined;
}

/** Why no advice can be given. */
export class NoLimitError extends Error {
  constructor(
    message: string,
    readonly hint: string,
    readonly diagnostics: readonly Diagnostic[] = [],
  ) {
    super(message);
  }
}

export const ADVICE_PATH = 'limit-advice';
const FENCE = `limit-advice-${'x'.repeat(50)}`;
const RULE = 'counted';
const SPARED = `spared-${'x'.repeat(56)}`;

/**
 * Rules that count what a limit would count. For one of the rules everything before it stays; a limit that there is not yet
 * is the only rule of each gate.
 * @param spare the name of a list of addresses whose clients are not to be stopped
 * @throws NoLimitError where there is no such limit, or what is proposed cannot be read
 */
export function writeCountingRules(
  statements: readonly Statement[],
  subject: LimitSubject,
  spare?: string,
): CountingRules {
  const rules = 'rule' in subject ? rulesOf(statements, subject.rule) : proposedRules(statements, subject);
  const spared = spare === undefined ? undefined : ruleId(rules.fence, SPARED);
  const kept = rules.statements.filter(({ kind }) => kind !== 'expect');
  const text = printFences({
    path: ADVICE_PATH,
    statements: kept.map((statement) =>
      statement.kind === 'fence' && statement.name === rules.fence
        ? { ...statement, rules: withSpared(statement.rules, rules.rule, spare) }
        : statement,
    ),
    comments: [],
  });
  return { text, counted: ruleId(rules.fence, rules.rule), spared };
}

interface Found {
  readonly statements: readonly Statement[];
  readonly fence: string;
  readonly rule: string;
}

function rulesOf(statements: readonly Statement[], id: string): Found {
  const fences = statements.filter((statement): statement is FenceStatement => statement.kind === 'fence');
  const [fence = '', rule = ''] = id.split('/');
  const found = fences.find(({ name }) => name === fence)?.rules.find(({ name }) => name === rule);
  const limits = fences.flatMap(({ name, rules }) =>
    rules.filter(({ action }) => action.kind === 'limit').map((one) => ruleId(name, one.name)),
  );
  const hint = limits.length === 0 ? 'No rule limits.' : `The limits are: ${limits.join(', ')}.`;
  if (!found) throw new NoLimitError(`There is no rule "${id}".`, hint);
  if (found.action.kind !== 'limit') throw new NoLimitError(`The rule ${id} does not limit.`, hint);
  if (found.state === 'off')
    throw new NoLimitError(`The rule ${id} is off, so that it counts nothing.`, 'Put it on trial first.');
  return { statements, fence, rule };
}

/** Everything but the fences, and at each gate one that counts. */
function proposedRules(statements: readonly Statement[], { by, within, when, gate }: ProposedLimit): Found {
  const conditions = [...(gate === undefined ? [] : [`gate = ${gate}`]), ...(when === undefined ? [] : [`(${when})`])];
  const text = `fence ${FENCE} enforce {\n  rule ${RULE} limit 1 per ${within} by ${by} when ${conditions.join(' and ') || 'always'}\n}\n`;
  const { file, diagnostics } = parseFences(text, ADVICE_PATH);
  const [fence, ...others] = file.statements;
  const isOne = fence?.kind === 'fence' && others.length === 0 && fence.rules.length === 1;
  if (diagnostics.length > 0 || !isOne || !isPlainLimit(fence.rules[0]!))
    throw new NoLimitError(
      'The limit that advice is wanted about cannot be read.',
      'Give the keys as in a rule (client, method), the window (5m) and a condition.',
      diagnostics,
    );
  const gates = statements.flatMap((statement) =>
    statement.kind === 'gate' ? [{ ...statement, fences: [{ name: FENCE, place: statement.place }] }] : [],
  );
  const rest = statements.filter(({ kind }) => kind !== 'gate' && kind !== 'fence');
  return { statements: [...rest, fence, ...gates], fence: FENCE, rule: RULE };
}

/** Nothing but keys and a window, so that nothing is added in their place. */
function isPlainLimit({ action, name, hours, until }: Rule): boolean {
  return name === RULE && action.kind === 'limit' && action.holdMs === undefined && !hours && !until;
}

/** The same rule for the spared clients goes before, and stops as little. */
function withSpared(rules: readonly Rule[], name: string, spare: string | undefined): readonly Rule[] {
  if (spare === undefined) return rules;
  const at = rules.findIndex((rule) => rule.name === name);
  const rule = rules[at]!;
  const { file, diagnostics } = parseFences(
    `fence f enforce {\n  rule r observe when client in ${spare}\n}\n`,
    ADVICE_PATH,
  );
  const [fence] = file.statements;
  if (diagnostics.length > 0 || fence?.kind !== 'fence' || fence.rules.length !== 1)
    throw new NoLimitError(`"${spare}" is no name of a list.`, 'Give the name of a list of addresses.', diagnostics);
  const isSpared = fence.rules[0]!.condition;
  const condition: Rule['condition'] =
    rule.condition.kind === 'always' ? isSpared : { kind: 'and', parts: [rule.condition, isSpared] };
  return [...rules.slice(0, at), { ...rule, name: SPARED, condition, comments: [] }, ...rules.slice(at)];
}
