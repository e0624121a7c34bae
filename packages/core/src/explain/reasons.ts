/** The sentences of an explanation: why a gate, a client, an outcome came about. */
import { formatEntry } from '../check/members.js';
import type { Rulebook } from '../check/rulebook.js';
import type { Ruling } from '../decide/decision.js';
import type { GateReason, InspectionReason } from '../decide/gate.js';
import type { EvaluationContext, CounterView } from '../decide/interpreter.js';
import type { View } from '../decide/view.js';
import { printKey } from '../language/action-text.js';
import { defaultPageOf, type DefaultPage } from '../pages/default-pages.js';
import type { Action, Ending } from '../language/tree.js';
import { describeCountryAnswer, type CountryAnswer } from '../reference/country-table.js';
import { formatAddress } from '../request/address.js';
import type { Request } from '../request/request.js';

export function countryReason(
  context: EvaluationContext,
  client: Request['client'],
  country: CountryAnswer | undefined,
): string {
  if (!context.countries) return 'no country table is loaded';
  if (!client) return 'the client has no known address';
  return country ? describeCountryAnswer(country) : '';
}

export function gateReason(why: GateReason): string {
  switch (why.kind) {
    case 'named':
      return 'it was named as the judge of every request';
    case 'record':
      return 'the record names it';
    case 'host':
      return `its hosts cover the request with ${why.entry}`;
    case 'client':
      return `its clients hold the client with ${why.entry}`;
  }
}

export function describeVisibility(isInspected: boolean, why: InspectionReason): string | undefined {
  const what = isInspected
    ? 'Encrypted and inspected, so everything is visible'
    : 'Encrypted and not inspected, so only the host and the addresses are visible';
  switch (why.kind) {
    case 'not-encrypted':
      return undefined;
    case 'rule':
      return `${what}: inspect rule ${why.index + 1} of the gate decides.`;
    case 'otherwise':
      return `${what}: no inspect rule of the gate matched, and its otherwise decides.`;
    case 'record':
      return `${what}: the record specifies it.`;
    case 'defaultStatus':
      return `${what}: neither the gate nor the record specifies it.`;
  }
}

const SHOWN_HOPS = 10;

export function describeClient({ gate, resolved }: View): string | undefined {
  const { clientFrom } = gate.statement;
  if (!clientFrom) return undefined;
  if (resolved.isHeaderIgnored)
    return `The header ${clientFrom.header} is ignored, because the peer is not trusted to set it.`;
  if (resolved.hops.length === 0) return `The request shows no header ${clientFrom.header}.`;
  const hops = resolved.hops.map(({ address, trustedBy }) => {
    const text = formatAddress(address);
    if (!trustedBy) return `${text} (not a trusted proxy)`;
    return `${text} (trusted as ${trustedBy.through[0] ?? formatEntry(trustedBy.entry)})`;
  });
  const left = hops.length - SHOWN_HOPS;
  // Of a long chain its beginning and its end.
  if (left > 1) hops.splice(SHOWN_HOPS - 1, left, `${left.toLocaleString('en')} more`);
  return `Following the header ${clientFrom.header} from the right: ${hops.join(', then ')}.`;
}

export function describeCounter(memory: CounterView): string {
  switch (memory.kind) {
    case 'hold':
      return memory.passes
        ? 'The user has complied, so this rule is skipped.'
        : 'The request is held; the user may continue from the next request.';
    case 'throttle': {
      const { bytes, waitMs, key } = memory;
      const by = describeKeyValues(key);
      const waits = waitMs === 0 ? 'pass at once' : `would have waited ${waitMs.toLocaleString('en')} ms`;
      return `Metered for ${by}: ${bytes.toLocaleString('en')} bytes ${waits}.`;
    }
    case 'unknown-bytes':
      return `The bytes ${memory.direction === 'down' ? 'to' : 'from'} the client are unknown, so nothing is metered.`;
    case 'unknown-key':
      return `What it counts by, ${printKey(memory.key)}, is unknown, so nothing is counted.`;
    case 'count': {
      const { count, max, key } = memory;
      const by = describeKeyValues(key);
      const over = count.counted > max ? `more than ${max}` : `${count.counted} of ${max}`;
      const held =
        count.heldUntilUnixMs === undefined ? '' : `, held until ${new Date(count.heldUntilUnixMs).toISOString()}`;
      return `Counted for ${by}: ${over} in the window${held}.`;
    }
  }
}

function describeKeyValues(key: readonly unknown[]): string {
  return key.length === 0 ? 'everyone' : key.map((value) => (value === null ? '(none)' : String(value))).join(', ');
}

export function describeOutcome({ outcome, gate, fence, rule, reason }: Ruling): string {
  if (outcome === 'uncovered') return 'No gate covers this request, so no rule was evaluated.';
  const did = { allowed: 'allowed', blocked: 'blocked', limited: 'limited', redirected: 'redirected', held: 'held' }[
    outcome
  ];
  if (fence === undefined) return `No fence decided, so gate ${gate} ${PRESENT[outcome]} it (otherwise).`;
  if (rule === undefined) return `No rule of fence ${fence} ended it, and its otherwise ${did} it.`;
  return `Rule ${fence}/${rule} ${did} it${reason ? ` (${reason})` : ''}.`;
}

const PRESENT: Record<string, string> = { allowed: 'allows', blocked: 'blocks', redirected: 'redirects' };

/** What stops a request: the action of the rule, or the ending of the fence or gate. */
function findStop(rulebook: Rulebook, { gate, fence, rule }: Ruling): Action | Ending | undefined {
  if (fence === undefined) return rulebook.gates.find(({ statement }) => statement.name === gate)?.statement.otherwise;
  const statement = rulebook.fences.find((fenceStatement) => fenceStatement.name === fence);
  if (rule !== undefined) return statement?.rules.find((eachRule) => eachRule.name === rule)?.action;
  return statement && statement.otherwise.kind !== 'continue' ? statement.otherwise : undefined;
}

/** The page that a stopped client is shown: one that the rule names, or the built-in one. */
export type PageShown = { readonly name: string } | { readonly builtIn: DefaultPage };

/** @returns undefined where no page is shown, or none can be */
export function pageShown(rulebook: Rulebook, ruling: Ruling, view: View | undefined): PageShown | undefined {
  if (!view || view.isHidden || view.request.httpDefault !== 'is-http') return undefined;
  const match = findStop(rulebook, ruling);
  const stop = match?.kind === 'limit' ? match.then : match;
  if (stop?.kind === 'redirect') return undefined;
  if (stop && 'page' in stop && stop.page) return { name: stop.page.name };
  const builtIn = defaultPageOf(ruling.outcome, ruling.reason);
  return builtIn && { builtIn };
}

/** The address that a ruling redirects to; undefined where it redirects nowhere. */
export function redirectOf(rulebook: Rulebook, ruling: Ruling): string | undefined {
  if (ruling.outcome !== 'redirected' && ruling.outcome !== 'limited') return undefined;
  const match = findStop(rulebook, ruling);
  const stop = match?.kind === 'limit' ? match.then : match;
  return stop?.kind === 'redirect' ? stop.url : undefined;
}

export function describeClientResponse(rulebook: Rulebook, ruling: Ruling, view: View | undefined): string {
  const { outcome, status } = ruling;
  if (outcome === 'allowed') return 'What was requested.';
  if (outcome === 'uncovered') return 'Nothing changes: these rules do not protect this host.';
  // A page cannot be sent on a connection that is not decrypted.
  if (view?.isHidden) return 'A connection that fails: it is encrypted and not inspected, so no page can be shown.';
  if (view && view.request.httpDefault !== 'is-http')
    return 'A connection that fails: it is not HTTP, so no page can be shown.';
  const match = findStop(rulebook, ruling);
  const stop = match?.kind === 'limit' ? match.then : match;
  if (stop?.kind === 'redirect') return `A redirect (${status}) to ${stop.url}.`;
  const page = stop && 'page' in stop && stop.page ? `, with the page ${stop.page.name}` : '';
  return `Status ${status}${page} instead of what was requested.`;
}
