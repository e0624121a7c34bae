/** Which gate judges a request, and what it sees of it. */
import { formatEntry } from '../check/members.js';
import type { CheckedGate, Rulebook } from '../check/rulebook.js';
import { formatDomainEntry, isCloser, type DomainEntry } from '../reference/domain-set.js';
import type { Request } from '../request/request.js';
import { evaluate, type Subject } from './evaluate.js';
import type { EvaluationContext, Observer } from './interpreter.js';
import { resolveClient, View, type ResolvedClient } from './view.js';

export type GateReason =
  | { readonly kind: 'named' }
  | { readonly kind: 'record' }
  | { readonly kind: 'host'; readonly entry: string }
  | { readonly kind: 'client'; readonly entry: string };

export type InspectionReason =
  | { readonly kind: 'not-encrypted' }
  | { readonly kind: 'rule'; readonly index: number }
  | { readonly kind: 'otherwise' }
  | { readonly kind: 'record' }
  | { readonly kind: 'defaultStatus' };

/** The gate that judges, and who the client is there. */
export interface GateSelection {
  readonly gate: CheckedGate;
  readonly why: GateReason;
  readonly resolved: ResolvedClient;
}

/** The gate that is named, else the inbound gate with the closest host entry, else the first outbound gate that has the client. */
export function chooseGate({ rulebook, gate: named }: EvaluationContext, request: Request): GateSelection | undefined {
  const byName = named ?? request.atGate;
  if (byName != null) {
    const gate = rulebook.gates.find(({ statement }) => statement.name === byName);
    const why: GateReason = { kind: named === undefined ? 'record' : 'named' };
    return gate && { gate, why, resolved: resolveClient(gate, request) };
  }
  return chooseInbound(rulebook, request) ?? chooseOutbound(rulebook, request);
}

function chooseInbound({ gates }: Rulebook, request: Request): GateSelection | undefined {
  if (request.host == null) return undefined;
  let best: { gate: CheckedGate; entry: DomainEntry } | undefined;
  for (const gate of gates) {
    const membership = gate.statement.direction === 'inbound' ? gate.hosts.find(request.host) : undefined;
    if (!membership) continue;
    const entry = membership.entry as DomainEntry;
    if (!best || isCloser(entry, best.entry)) best = { gate, entry };
  }
  if (!best) return undefined;
  const why: GateReason = { kind: 'host', entry: formatDomainEntry(best.entry) };
  return { gate: best.gate, why, resolved: resolveClient(best.gate, request) };
}

function chooseOutbound({ gates }: Rulebook, request: Request): GateSelection | undefined {
  for (const gate of gates) {
    if (gate.statement.direction !== 'outbound') continue;
    const resolved = resolveClient(gate, request);
    const membership = resolved.client ? gate.clients.find(resolved.client) : undefined;
    if (membership)
      return { gate, why: { kind: 'client', entry: membership.through[0] ?? formatEntry(membership.entry) }, resolved };
  }
  return undefined;
}

/** The request as the gate sees it: at outbound gates what is encrypted is hidden unless it is inspected. */
export function applyInspection(
  context: EvaluationContext,
  { gate, resolved }: GateSelection,
  request: Request,
  observer: Pick<Observer, 'inspected'>,
): View {
  const { inspection, direction } = gate.statement;
  if (direction === 'inbound' || !request.isEncrypted) {
    observer.inspected?.(true, { kind: 'not-encrypted' });
    return new View(context, gate, request, resolved, false);
  }
  const hidden = new View(context, gate, request, resolved, true);
  const answer = (isInspected: boolean, why: InspectionReason): View => {
    observer.inspected?.(isInspected, why);
    return isInspected ? new View(context, gate, request, resolved, false) : hidden;
  };
  if (!inspection) {
    const settings = request.attributes['jade.inspected'];
    return typeof settings === 'boolean'
      ? answer(settings, { kind: 'record' })
      : answer(false, { kind: 'defaultStatus' });
  }
  const subject: Subject = { view: hidden, tag: null };
  const index = inspection.rules.findIndex(
    ({ condition }) => evaluate(condition, subject, context.rulebook) === 'true',
  );
  return index >= 0
    ? answer(inspection.rules[index]!.isInspected, { kind: 'rule', index })
    : answer(inspection.otherwise, { kind: 'otherwise' });
}

/** A request as the gate that judges it sees it, or undefined where none does. */
export function viewRequest(context: EvaluationContext, request: Request): View | undefined {
  const chosen = chooseGate(context, request);
  return chosen && applyInspection(context, chosen, request, {});
}

/** A decided request as its gate reads it, nothing hidden: what a log shows can be tested of its decisions. */
export function viewDecided(context: EvaluationContext, request: Request, gateName: string | undefined): View {
  const gate = context.rulebook.gates.find(({ statement }) => statement.name === gateName);
  return new View(context, gate ?? NO_GATE, request, resolveClient(gate ?? NO_GATE, request), false);
}

const NO_MEMBERS = { find: () => undefined };
/** Where no gate covers a request it is seen as at an inbound one. */
export const NO_GATE: CheckedGate = {
  statement: {
    kind: 'gate',
    name: '',
    direction: 'inbound',
    hosts: [],
    clients: [],
    pathForms: [],
    fences: [],
    otherwise: { kind: 'allow' },
    comments: [],
    place: { file: '', line: 0, column: 0 },
  },
  hosts: NO_MEMBERS,
  clients: NO_MEMBERS,
  trusting: NO_MEMBERS,
  pathReading: {},
  fences: [],
};
