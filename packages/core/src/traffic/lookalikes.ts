/** Paths and names that differ little from what rules compare, and are decided otherwise. */
import { ruleId } from '../decide/decision.js';
import { evaluate } from '../decide/evaluate.js';
import { viewDecided } from '../decide/gate.js';
import type { Comparison } from '../language/tree.js';
import type { Attributes } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { comparisonsOf, type TrafficCounts } from './traffic-counts.js';
import type { TrafficFinding } from './traffic-finding.js';
import { count, quoted } from './words.js';

const MAX_VARIANTS = 1000;
const MAX_HOSTS = 2000;
const SHOWN = 5;

/** Paths that pass and differ from what a rule stops only in slashes, case or escapes. */
export function* pathVariants({ passingPaths, values, context }: TrafficCounts): Generator<TrafficFinding> {
  const odd = passingPaths
    .flatMap((passing, number) => {
      if (!passing) return [];
      const { requests, gates } = passing;
      const path = values.textOf('path', number);
      const plain = path == null ? undefined : plainPath(path);
      return path == null || plain === undefined || plain === path ? [] : [{ path, plain, requests, gates }];
    })
    .sort((a, b) => b.requests - a.requests)
    .slice(0, MAX_VARIANTS);
  if (odd.length === 0) return;
  for (const { statement, fences } of context.rulebook.gates) {
    const gate = values.gateNumber(statement.name);
    const here = odd.filter(({ gates }) => gates.has(gate));
    const escaped = new Set<(typeof odd)[number]>();
    const rules: string[] = [];
    for (const fence of fences)
      for (const rule of fence.rules) {
        const comparisons = comparisonsOf(rule.condition).filter(
          ({ field, isNegated }) => field === 'path' && !isNegated,
        );
        if (rule.state === 'off' || !STOPPING.has(rule.action.kind)) continue;
        const isOn = (path: string): boolean =>
          comparisons.some((one) => isTrueOf(context, statement.name, one, { 'url.path': path }));
        const found = here.filter(({ path, plain }) => isOn(plain) && !isOn(path));
        if (found.length > 0) rules.push(ruleId(fence.name, rule.name));
        for (const one of found) escaped.add(one);
      }
    if (escaped.size === 0) continue;
    const shown = [...escaped].slice(0, SHOWN);
    const requests = [...escaped].reduce((sum, one) => sum + one.requests, 0);
    yield {
      id: 'path-variant-escapes',
      level: 'warning',
      rule: rules[0]!,
      message: `${count(requests, 'request')} at the gate ${statement.name} pass${requests === 1 ? 'es' : ''} with paths that differ from what ${rules.join(', ')} ${rules.length === 1 ? 'compares' : 'compare'} only in slashes, case or escapes.`,
      hint: 'Let the gate read paths so (paths fold-case merge-slashes), if the server does.',
      evidence: shown.map(
        ({ path, plain, requests: number }) =>
          `${path} (${count(number, 'request')}) is read as ${plain} by many servers.`,
      ),
      where: `path in ${shown.map(({ path }) => quoted(path)).join(', ')}`,
    };
  }
}

const STOPPING: ReadonlySet<string> = new Set(['block', 'redirect', 'limit', 'warn', 'passphrase', 'challenge']);

function plainPath(path: string): string {
  let decoded = path;
  try {
    decoded = decodeURIComponent(path);
  } catch {
    // Escapes that are none stay as they are.
  }
  return decoded.replaceAll(/\/{2,}/g, '/').toLowerCase();
}

function isTrueOf(
  context: TrafficCounts['context'],
  gate: string,
  comparison: Comparison,
  attributes: Attributes,
): boolean {
  const { lookups, applications } = context.rulebook;
  const request = normalizeRequest({
    line: 1,
    atUnixMs: 0,
    attributes: { 'http.request.method': 'GET', ...attributes },
  });
  const view = viewDecided(context, request, gate);
  return evaluate(comparison, { view, tag: null }, { lookups, applications }) === 'true';
}

/** A comparison that takes a name and not those below it, or the reverse, where the log has both. */
export function* bareOrSub({ hosts, values, context }: TrafficCounts): Generator<TrafficFinding> {
  const known = hosts
    .map((requests, number) => ({ requests, host: values.textOf('host', number) }))
    .filter((one): one is { requests: number; host: string } => one.requests > 0 && typeof one.host === 'string')
    .sort((a, b) => b.requests - a.requests)
    .slice(0, MAX_HOSTS);
  const names = new Set(known.map(({ host }) => host));
  const reported = new Set<string>();
  for (const { statement, fences } of context.rulebook.gates)
    for (const fence of fences)
      for (const rule of fence.rules)
        for (const comparison of comparisonsOf(rule.condition)) {
          if (comparison.field !== 'host' || comparison.isNegated || rule.state === 'off') continue;
          for (const value of comparison.values) {
            const id = ruleId(fence.name, rule.name);
            if (value.kind !== 'domain' || !names.has(value.entry.name) || reported.has(`${id} ${value.entry.name}`))
              continue;
            const { name } = value.entry;
            const takes = (host: string): boolean =>
              isTrueOf(context, statement.name, comparison, { 'http.request.header.host': [host] });
            const isBare = takes(name);
            const others = known.filter(({ host }) => host.endsWith(`.${name}`) && takes(host) !== isBare);
            if (others.length === 0) continue;
            reported.add(`${id} ${name}`);
            yield {
              id: 'bare-or-sub-only',
              level: 'note',
              rule: id,
              message: isBare
                ? `The rule ${id} takes ${name}, and not ${others[0]!.host} (${count(others[0]!.requests, 'request')}).`
                : `The rule ${id} takes ${others[0]!.host}, and not ${name}.`,
              hint: `Write host under ${name} if both are meant.`,
              evidence: others.slice(1, SHOWN).map(({ host, requests }) => `${host}: ${count(requests, 'request')}.`),
            };
          }
        }
}
