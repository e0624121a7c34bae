/** Rules over a few values, and every request that they can distinguish: what is claimed of all can be counted. */
import fc from 'fast-check';
import { checkFences } from '../check/check-fences.js';
import { evaluate } from '../decide/evaluate.js';
import { viewRequest } from '../decide/gate.js';
import { decide, type EvaluationContext } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import type { FenceStatement, Rule, Statement } from '../language/tree.js';
import type { Attributes } from '../request/record.js';
import { normalizeRequest, type Request } from '../request/request.js';

export const UNIVERSE_NOW = Date.parse('2026-10-12T10:00:00Z');

/** Of each field the values that comparisons below name, another one, none, and that the log lacks it. */
const FIELDS: Readonly<Record<string, readonly unknown[]>> = {
  'client.address': ['198.18.0.1', '198.18.0.2', '198.18.9.9', null, undefined],
  'http.request.method': ['GET', 'POST', 'PUT', null, undefined],
  'url.path': ['/a', '/a/b', '/c', '/d', null, undefined],
  'user.name': [['kari'], ['other-user'], null, undefined],
  'server.port': [443, 8443, null, undefined],
};

/** What a request has before these. */
type Bare = Readonly<Record<string, unknown>>;

function combine(base: Bare, names: readonly string[]): Bare[] {
  return names.reduce<Bare[]>(
    (all, name) =>
      all.flatMap((one) => FIELDS[name]!.map((value) => (value === undefined ? one : { ...one, [name]: value }))),
    [base],
  );
}

/** Every combination, for the one gate, and those of which only the name of the TLS server is known. */
export const UNIVERSE: readonly Request[] = [
  ...combine({ 'http.request.header.host': ['shop.example'] }, Object.keys(FIELDS)),
  ...combine({ 'tls.client.server_name': 'shop.example', 'network.transport': 'tcp' }, [
    'client.address',
    'user.name',
    'server.port',
  ]),
].map((attributes) => normalizeRequest({ line: 1, atUnixMs: UNIVERSE_NOW, attributes: attributes as Attributes }));

const comparison = fc.constantFrom(
  'client = 198.18.0.1',
  'client in pair',
  'client not in pair',
  'client present',
  'method = GET',
  'method in GET, POST',
  'method != POST',
  'path under /a',
  'path = /c',
  'path in /a, /c',
  'user = "kari"',
  'user absent',
  'port = 443',
  'port > 443',
);
const condition = fc.oneof(
  comparison,
  fc.tuple(comparison, fc.constantFrom('and', 'or'), comparison).map((parts) => parts.join(' ')),
  fc.tuple(comparison, comparison).map(([a, b]) => `not (${a} and ${b})`),
  fc.constant('always'),
);
const action = fc.constantFrom(
  'allow',
  'allow outright',
  'block',
  'block 451',
  'redirect "https://else.example/"',
  'observe',
);
const rule = fc
  .tuple(fc.constantFrom('', '', '', 'trial ', 'off '), action, condition)
  .map(([state, what, when]) => `${state}${what} when ${when}`);
const ending = fc.constantFrom('', 'otherwise continue', 'otherwise allow', 'otherwise block');
const fence = fc.tuple(
  fc.constantFrom('enforce', 'enforce', 'trial'),
  fc.array(rule, { minLength: 1, maxLength: 5 }),
  ending,
);

/** Two fences at a gate, as text. */
export const smallRules = fc
  .tuple(fc.array(fence, { minLength: 1, maxLength: 2 }), fc.constantFrom('allow', 'block'))
  .map(([fences, otherwise]) =>
    [
      'list pair addresses { 198.18.0.1, 198.18.0.2 }',
      `gate shop inbound { hosts shop.example fences ${fences.map((_, at) => `f${at}`).join(', ')} otherwise ${otherwise} }`,
      ...fences.map(
        ([mode, rules, end], at) =>
          `fence f${at} ${mode} {\n${rules.map((text, number) => `  rule r${number} ${text}`).join('\n')}\n  ${end}\n}`,
      ),
    ].join('\n'),
  );

export function readSmallRules(text: string): { context: EvaluationContext; statements: readonly Statement[] } {
  const { rulebook, files } = checkFences([{ path: 'f.fence', text }], []);
  return { context: { rulebook: rulebook! }, statements: files.flatMap(({ statements }) => statements) };
}

/** What comes of a request, for its client, and with what trials would do. */
export function outcomeIn(context: EvaluationContext, request: Request, hasTrials: boolean): string {
  const { outcome, status, would, fence: byFence, rule: byRule } = decide(context, request, new State());
  const by = context.rulebook.fences.find(({ name }) => name === byFence)?.rules.find(({ name }) => name === byRule);
  return JSON.stringify([outcome, status, by?.action.kind === 'redirect' ? by.action.url : '', hasTrials ? would : []]);
}

/** What is true of the rules, counted over every request: `ID fence/rule`. */
export function claimsByCounting(context: EvaluationContext): Set<string> {
  const found = new Set<string>();
  const covered = UNIVERSE.filter((request) => viewRequest(context, request) !== undefined);
  for (const statement of context.rulebook.fences)
    for (const one of statement.rules) {
      if (one.state === 'off') continue;
      const name = `${statement.name}/${one.name}`;
      const truths = covered.map((request) =>
        evaluate(one.condition, { view: viewRequest(context, request)!, tag: null }, context.rulebook),
      );
      const matching = covered.filter((_, at) => truths[at] === 'true');
      if (matching.length === 0) {
        found.add(`never-true ${name}`);
        continue;
      }
      if (one.condition.kind !== 'always' && !truths.includes('false')) found.add(`always-true ${name}`);
      const numReached = matching.filter((request) =>
        decide(context, request, new State()).matched.includes(name),
      ).length;
      if (numReached === 0) found.add(`never-reached ${name}`);
      else if (numReached < matching.length) found.add(`partly-covered ${name}`);
      if (numReached > 0 && !hasEffect(context, covered, one)) found.add(`no-effect ${name}`);
    }
  return found;
}

function hasEffect(context: EvaluationContext, requests: readonly Request[], one: Rule): boolean {
  const strip = (statement: FenceStatement): FenceStatement => ({
    ...statement,
    rules: statement.rules.filter((other) => other !== one),
  });
  const gates = context.rulebook.gates.map((gate) => ({ ...gate, fences: gate.fences.map(strip) }));
  const without = { ...context, rulebook: { ...context.rulebook, gates } };
  return requests.some((request) => outcomeIn(context, request, true) !== outcomeIn(without, request, true));
}
