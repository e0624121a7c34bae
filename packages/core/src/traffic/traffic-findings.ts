/** What the decisions of a log show to be probably wrong with the rules, their gates or the reference data. */
import { evaluate } from '../decide/evaluate.js';
import { viewDecided } from '../decide/gate.js';
import { ruleId } from '../decide/decision.js';
import { parseConditionText, printRuleText } from '../edit/rule-text.js';
import { specOf, type FieldName } from '../language/fields.js';
import type { Comparison, Condition, Rule } from '../language/tree.js';
import { countedFields } from '../language/visit.js';
import { countWouldStop } from '../replay/summary.js';
import type { RuleTally, Tally } from '../replay/tally.js';
import { formatRange, parseAddress, parseNetwork } from '../request/address.js';
import { normalizeRequest } from '../request/request.js';
import { count, format, percent, quoted } from './words.js';
import { bareOrSub, pathVariants } from './lookalikes.js';
import { comparisonsOf, type SourceGroup, type TrafficCounts } from './traffic-counts.js';
import { TRAFFIC_FINDING_IDS, type TrafficFinding } from './traffic-finding.js';

const PROXY = { requests: 1000, clients: 3, share: 0.5, headers: 0.1 };
const COLLATERAL = { requests: 100, share: 0.9 };
const SPREAD = { clients: 50, share: 0.9, passing: 0.5 };
const LIMIT = { share: 0.1, clients: 10 };
const BLIND = { requests: 20, share: 0.01 };
const UNKNOWN_COUNTRY_SHARE = 0.05;
const SHARED = { agents: 20, users: 10, shown: 5 };

/** @param tally of the same decisions */
export function findInTraffic(counts: TrafficCounts, tally: Tally): readonly TrafficFinding[] {
  const found = [
    ...proxyAsClient(counts, tally),
    ...wideCollateral(counts),
    ...spreadSource(counts),
    ...limits(counts, tally),
    ...pathVariants(counts),
    ...blindRules(counts, tally),
    ...unknownCountries(counts),
    ...bareOrSub(counts),
    ...sharedAddresses(counts),
    ...noHits(counts, tally),
  ];
  const order = (one: TrafficFinding): number => TRAFFIC_FINDING_IDS.indexOf(one.id);
  return found.sort((a, b) => Number(a.level === 'note') - Number(b.level === 'note') || order(a) - order(b));
}

function* proxyAsClient({ values, clients, judged, context }: TrafficCounts, tally: Tally): Generator<TrafficFinding> {
  for (const { statement } of context.rulebook.gates) {
    const gate = tally.gates[statement.name];
    if (!gate || gate.requests < PROXY.requests || gate.ignoredHeaders < gate.requests * PROXY.headers) continue;
    yield {
      id: 'proxy-as-client',
      level: 'warning',
      message: `At the gate ${statement.name} the address header of ${format(gate.ignoredHeaders)} of ${format(gate.requests)} requests is ignored, since it comes from an address that is not trusted.`,
      hint: 'Name the networks of your proxies behind "trusting", so that the client is who they name.',
      evidence: [],
      where: `gate = ${statement.name}`,
    };
  }
  const isNamed = context.rulebook.gates.every(
    ({ statement }) => statement.direction === 'outbound' || statement.clientFrom !== undefined,
  );
  const most = clients
    .map((requests, client) => ({ requests: requests ?? 0, client }))
    .sort((a, b) => b.requests - a.requests)
    .slice(0, PROXY.clients);
  const together = most.reduce((sum, { requests }) => sum + requests, 0);
  if (isNamed || judged < PROXY.requests || together < judged * PROXY.share) return;
  const names = most
    .filter(({ requests }) => requests > 0)
    .map(({ client }) => values.textOf('client', client) ?? '(none)');
  yield {
    id: 'proxy-as-client',
    level: 'warning',
    message: `${names.length === 1 ? 'One client makes' : `${names.length} clients make`} ${format(together)} of ${format(judged)} requests (${percent(together, judged)}): probably proxies.`,
    hint: 'Let the gate find the client: client from header "x-forwarded-for" trusting their networks.',
    evidence: [`They are ${names.join(', ')}.`],
    where: `client in ${names.join(', ')}`,
  };
}

function* wideCollateral(counts: TrafficCounts): Generator<TrafficFinding> {
  const { countryStops, values } = counts;
  for (const [id, { requests, clients }] of countryStops) {
    if (requests < COLLATERAL.requests) continue;
    const networks = new Map<string, { requests: number; clients: number }>();
    for (const [client, number] of clients) {
      const network = networkOf(values.textOf('client', client));
      const known = networks.get(network) ?? { requests: 0, clients: 0 };
      networks.set(network, { requests: known.requests + number, clients: known.clients + 1 });
    }
    const [[network, top] = ['', { requests: 0, clients: 0 }]] = [...networks].sort(
      (a, b) => b[1].requests - a[1].requests,
    );
    if (network === '' || top.requests < requests * COLLATERAL.share) continue;
    const others = requests - top.requests;
    const rule = counts.ruleOf(id)!;
    const narrow = narrowed(rule, network);
    const [fence] = id.split('/') as [string];
    yield {
      id: 'wide-collateral',
      level: 'warning',
      rule: id,
      message: `The rule ${id} stops by country, and ${others === 0 ? 'all' : `${format(top.requests)} of the`} ${format(requests)} requests that it stops are from ${network}.`,
      hint: narrow
        ? 'Stop that network instead of the country.'
        : 'Write a rule for that network instead of the country.',
      evidence: [
        others === 0
          ? 'No other client of the country was stopped in this log; any other would be.'
          : `It also stops ${count(others, 'request')} of ${count(clients.size - top.clients, 'other client')}.`,
        ...(narrow ? [`Narrower: ${narrow.replaceAll(/\s+/g, ' ')}`] : []),
      ],
      where: `client in ${network}`,
      ...(narrow ? { fix: [{ kind: 'replace-rule' as const, fence, rule: rule.name, text: narrow }] } : {}),
    };
  }
}

/** The network that neighbours are in: 24 bits of IPv4, 48 of IPv6. */
function networkOf(client: string | null | undefined): string {
  const address = client ? parseAddress(client) : undefined;
  if (!address) return '';
  return formatRange(parseNetwork(`${client}/${address.family === 4 ? 24 : 48}`)!);
}

/** The rule with the network in the place of its country; undefined where the country is not simply joined with and. */
function narrowed(rule: Rule, network: string): string | undefined {
  const { condition } = rule;
  const parts = condition.kind === 'and' ? condition.parts : [condition];
  const isCountry = (part: Condition): boolean =>
    part.kind === 'comparison' && part.field === 'country' && !part.isNegated;
  if (parts.filter(isCountry).length !== 1) return undefined;
  const client = parseConditionText(`client in ${network}`).condition!;
  const changed = parts.map((part) => (isCountry(part) ? client : part));
  return printRuleText({
    ...rule,
    condition: changed.length === 1 ? changed[0]! : { kind: 'and', parts: changed },
  });
}

function* spreadSource({ agents, countries, values, clients }: TrafficCounts): Generator<TrafficFinding> {
  const numClients = clients.reduce((sum, requests) => sum + (requests > 0 ? 1 : 0), 0);
  const seen = new Set<string>();
  for (const [field, groups] of [
    ['agent', agents],
    ['country', countries],
  ] as const)
    for (const [number, group] of groups.entries()) {
      if (!group) continue;
      const top = topPath(group);
      // What most clients have is no source.
      if (!top || group.clients.size < SPREAD.clients || group.clients.size > numClients / 2) continue;
      if (top.requests < group.requests * SPREAD.share) continue;
      const path = values.textOf('path', top.path);
      const name = values.textOf(field, number);
      if (path == null || name == null || seen.has(path)) continue;
      seen.add(path);
      const each = group.requests / group.clients.size;
      const is = field === 'agent' ? `agent = ${JSON.stringify(name)}` : `country = ${name}`;
      yield {
        id: 'spread-source',
        level: group.passing < group.requests * SPREAD.passing ? 'note' : 'warning',
        message: `${format(group.clients.size)} clients ${field === 'agent' ? `with the agent ${name}` : `of the country ${name}`} make ${format(top.requests)} of their ${format(group.requests)} requests to ${path}: probably one source.`,
        hint: `Write a rule for it: block when ${is} and path = ${quoted(path)}.`,
        evidence: [
          `${group.passing === 0 ? 'None of these requests passes: rules stop them already.' : `${format(group.passing)} of these requests pass.`} Each client makes ${each.toFixed(1)} on average, so that a limit by client stops few.`,
        ],
        where: `${is} and path = ${quoted(path)}`,
      };
    }
}

function topPath({ paths }: SourceGroup): { readonly path: number; readonly requests: number } | undefined {
  let top: { path: number; requests: number } | undefined;
  for (const [path, requests] of paths) if (path >= 0 && (!top || requests > top.requests)) top = { path, requests };
  return top;
}

function* limits(counts: TrafficCounts, tally: Tally): Generator<TrafficFinding> {
  const { limits: all, context } = counts;
  for (const [id, { counted, stopped }] of all) {
    const keys = counts.ruleOf(id)!.action;
    const isByClient = keys.kind === 'limit' && keys.keys.some(({ kind }) => kind === 'client');
    if (!isByClient || stopped.size < LIMIT.clients || stopped.size < counted.size * LIMIT.share) continue;
    yield {
      id: 'limit-catches-many',
      level: 'warning',
      rule: id,
      message: `The limit ${id} stops ${format(stopped.size)} of the ${format(counted.size)} clients that it counts (${percent(stopped.size, counted.size)}).`,
      hint: `Look at which count stops whom: jadefence limit-advice LOG --rule ${id}.`,
      evidence: [],
      where: `rule = ${id}`,
    };
  }
  for (const { id, rule, counts: one } of liveRules(context, tally)) {
    if (rule.action.kind !== 'limit' || !one || one.hits === 0) continue;
    const tripped = one.decided + countWouldStop(one);
    if (tripped > 0) continue;
    yield {
      id: 'limit-never-near',
      level: 'note',
      rule: id,
      message: `The limit ${id} counted ${count(one.hits, 'request')} and was never reached.`,
      hint: `See how high clients get: jadefence limit-advice LOG --rule ${id}.`,
      evidence: [],
    };
  }
}

interface LiveRule {
  readonly id: string;
  readonly rule: Rule;
  /** Requests at the gates of its fence. */
  readonly requests: number;
  readonly counts: RuleTally | undefined;
}

/** Rules that act or are in trial, of fences at gates that judged requests. */
function* liveRules({ rulebook }: TrafficCounts['context'], tally: Tally): Generator<LiveRule> {
  for (const fence of rulebook.fences) {
    const requests = rulebook.gates
      .filter(({ fences }) => fences.includes(fence))
      .reduce((sum, { statement }) => sum + (tally.gates[statement.name]?.requests ?? 0), 0);
    if (requests === 0) continue;
    for (const rule of fence.rules) {
      if (rule.state === 'off') continue;
      const id = ruleId(fence.name, rule.name);
      yield { id, rule, requests, counts: Object.hasOwn(tally.rules, id) ? tally.rules[id] : undefined };
    }
  }
}

function* noHits({ context }: TrafficCounts, tally: Tally): Generator<TrafficFinding> {
  const time = (at: number): string => new Date(at).toISOString().replace('.000Z', 'Z');
  const span =
    tally.fromUnixMs === undefined ? '' : `The log is from ${time(tally.fromUnixMs)} to ${time(tally.toUnixMs!)}.`;
  for (const { id, requests, counts } of liveRules(context, tally)) {
    if ((counts?.hits ?? 0) > 0 || (counts?.blind ?? 0) > 0) continue;
    yield {
      id: 'no-hits',
      level: 'note',
      rule: id,
      message: `The rule ${id} matched none of ${count(requests, 'request')} at its gates.`,
      hint: 'Look at whether the log has what it is for; delete it if it is not needed any more.',
      evidence: [span],
    };
  }
}

function* blindRules(counts: TrafficCounts, tally: Tally): Generator<TrafficFinding> {
  for (const { id, rule, requests, counts: one } of liveRules(counts.context, tally)) {
    if (!one || one.blind < BLIND.requests || one.blind < requests * BLIND.share) continue;
    const { missing, isHidden } = blindFields(counts, id, rule);
    yield {
      id: 'blind',
      level: 'warning',
      rule: id,
      message: `The rule ${id} could not be known of ${format(one.blind)} of ${count(requests, 'request')} at its gates (${percent(one.blind, requests)}).`,
      hint: isHidden
        ? 'Let the gate inspect such requests, or write "if unknown match" where the rule should act then.'
        : 'Import a log that has it, or write "if unknown match" where the rule should act then.',
      evidence: [`What is missing: ${missing}.`],
    };
  }
}

/** The fields that are unknown of requests at which a rule was blind, and whether encryption hides them. */
function blindFields(
  { blindSamples, context }: TrafficCounts,
  id: string,
  rule: Rule,
): { missing: string; isHidden: boolean } {
  const { lookups, applications } = context.rulebook;
  const fields = new Set<string>();
  for (const { record, ruling } of blindSamples.get(id) ?? []) {
    const view = viewDecided(context, normalizeRequest(record), ruling.gate);
    for (const comparison of comparisonsOf(rule.condition))
      if (evaluate(comparison, { view, tag: ruling.tags }, { lookups, applications }) === 'unknown')
        fields.add(nameOf(comparison));
    for (const field of countedFields(rule.action))
      if (view.get(field.field, field.parameter) === undefined) fields.add(nameOf(field));
  }
  if (fields.size > 0) return { missing: [...fields].sort().join(', '), isHidden: false };
  const tested = [...comparisonsOf(rule.condition), ...countedFields(rule.action)];
  const hidden = tested.filter(({ field }) => specOf(field as FieldName).isEncrypted);
  const names = [...new Set(hidden.map(nameOf))].join(', ') || 'fields';
  return { missing: `${names} of encrypted requests that are not inspected`, isHidden: true };
}

function nameOf({ field, parameter }: Pick<Comparison, 'field' | 'parameter'>): string {
  return parameter === undefined ? field : `${field} ${JSON.stringify(parameter)}`;
}

function* unknownCountries({ judged, unknownCountry, context }: TrafficCounts): Generator<TrafficFinding> {
  const usesCountry = context.rulebook.fences.some(({ rules }) =>
    rules.some(({ condition }) => comparisonsOf(condition).some(({ field }) => field === 'country')),
  );
  if (!usesCountry || !context.countries || judged === 0 || unknownCountry < judged * UNKNOWN_COUNTRY_SHARE) return;
  yield {
    id: 'unknown-country-share',
    level: 'warning',
    message: `Of ${count(judged, 'request')} ${format(unknownCountry)} (${percent(unknownCountry, judged)}) are from addresses that the country table does not have, and rules look at countries.`,
    hint: 'Import a newer country table, or correct addresses.',
    evidence: [],
  };
}

function* sharedAddresses({ clients, agentsOf, usersOf, values, context }: TrafficCounts): Generator<TrafficFinding> {
  const isLimited = context.rulebook.fences.some(({ rules }) => rules.some(({ action }) => action.kind === 'limit'));
  if (!isLimited) return;
  const shared = clients
    .map((requests, client) => ({ client, requests, agents: agentsOf[client] ?? 0, users: usersOf[client] ?? 0 }))
    .filter(({ requests, agents, users }) => requests > 0 && (agents >= SHARED.agents || users >= SHARED.users))
    .sort((a, b) => b.users - a.users || b.agents - a.agents || b.requests - a.requests);
  if (shared.length === 0) return;
  yield {
    id: 'shared-address',
    level: 'note',
    message: `${shared.length === 1 ? 'One address is' : `${format(shared.length)} addresses are`} probably shared by many people.`,
    hint: 'Count by user or cookie where a limit would meet them, or put them on a list that is spared.',
    evidence: shared
      .slice(0, SHARED.shown)
      .map(
        ({ client, requests, agents, users }) =>
          `${values.textOf('client', client)}: ${count(requests, 'request')}, ${count(agents, 'agent')}, ${count(users, 'user')}.`,
      ),
    where: `client in ${shared
      .slice(0, SHARED.shown)
      .map(({ client }) => values.textOf('client', client))
      .join(', ')}`,
  };
}
