/** Who reaches what: each of some clients with each of some destinations, at each of some times. */
import { isStop, ruleId, type Decision } from '../decide/decision.js';
import { decide, type EvaluationContext } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import type { Outcome } from '../language/outcomes.js';
import { Address, formatAddress, parseAddress } from '../request/address.js';
import type { Attributes } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { buildSyntheticRecord } from '../request/synthetic-request.js';
import { suggestNearest } from '../text/nearest-name.js';
import { describeDecider } from './run-expectations.js';

export interface MatrixRequest {
  /** An address, `user@address`, or the name of a list of addresses, of which some members are taken. */
  readonly clients: readonly string[];
  /** URLs or hosts, https unless they have a scheme; or `application NAME`, or its name alone. */
  readonly to: readonly string[];
  /** Milliseconds since 1970. */
  readonly atUnixMs: readonly number[];
  /** GET unless given. */
  readonly method?: string;
}

export interface MatrixClient {
  readonly client: string;
  readonly user?: string;
  /** The list that it is a member of, where it was taken from one. */
  readonly list?: string;
}

export interface MatrixCell {
  /** Places in `clients`, `to` and `atUnixMs`. */
  readonly client: number;
  readonly to: number;
  readonly at: number;
  readonly outcome: Outcome;
  readonly status?: number;
  readonly gate?: string;
  readonly fence?: string;
  readonly rule?: string;
  /** What decided, as people read it. */
  readonly decidedBy: string;
  /** The same as an expectation in fence text; absent where no gate judges, or there is no URL. */
  readonly expectation?: string;
}

/** Finds a request that an application is recognised by; undefined where none can be made. */
export type FindApplication = (
  context: EvaluationContext,
  name: string,
) => { readonly attributes: Attributes; readonly url?: string } | undefined;

/** What is requested: a URL, or for traffic of an application that has none the attributes that it is recognised by. */
interface Destination {
  readonly url?: string;
  readonly attributes?: Attributes;
}

export interface Matrix {
  readonly clients: readonly MatrixClient[];
  readonly to: readonly string[];
  /** By destination, what was requested; null for traffic of an application that has none. */
  readonly urls: readonly (string | null)[];
  readonly atUnixMs: readonly number[];
  /** By client, then by destination, then by time. */
  readonly cells: readonly MatrixCell[];
  /** Rows and columns with one result only: nothing shows that the other result comes where it should. */
  readonly warnings: readonly string[];
}

/** A client, a destination or the size that cannot be used. */
export class MatrixError extends Error {
  constructor(
    message: string,
    readonly hint: string,
  ) {
    super(message);
  }
}

/** Of a list so many members are taken, in its order. */
const LIST_MEMBERS = 8;
const MAX_CELLS = 10_000;

/** @throws MatrixError where a client or a destination cannot be read, or there would be too many cells */
export function fillMatrix(
  context: EvaluationContext,
  { clients: requested, to, atUnixMs, method = 'GET' }: MatrixRequest,
  findApplication: FindApplication,
): Matrix {
  const clients = requested.flatMap((text) => clientsOf(context, text));
  const numCells = clients.length * to.length * atUnixMs.length;
  if (numCells > MAX_CELLS)
    throw new MatrixError(
      `That is ${numCells.toLocaleString('en')} cells; a matrix has at most ${MAX_CELLS.toLocaleString('en')}.`,
      'Give fewer clients, destinations or times.',
    );
  const destinations = to.map((text) => destinationOf(context, text, findApplication));
  const cells = clients.flatMap((client, row) =>
    destinations.flatMap((destination, column) =>
      atUnixMs.map((time, at): MatrixCell => {
        const decision = decideCell(context, client, destination, time, method);
        const { outcome, status, gate, fence, rule } = decision;
        const { url } = destination;
        const expectation = url === undefined ? undefined : expectationOf(client, url, time, method, decision);
        return {
          client: row,
          to: column,
          at,
          outcome,
          ...(status === undefined ? {} : { status }),
          ...(gate === undefined ? {} : { gate }),
          ...(fence === undefined ? {} : { fence }),
          ...(rule === undefined ? {} : { rule }),
          decidedBy: describeDecider(decision),
          ...(expectation === undefined ? {} : { expectation }),
        };
      }),
    ),
  );
  const urls = destinations.map(({ url }) => url ?? null);
  return { clients, to, urls, atUnixMs, cells, warnings: warningsOf(clients, to, cells) };
}

function destinationOf(context: EvaluationContext, text: string, findApplication: FindApplication): Destination {
  const { applications } = context.rulebook;
  const [, written] = /^application\s+(\S+)$/.exec(text) ?? [];
  const application = applications.find(({ name }) => name === (written ?? text));
  if (!application && written === undefined) return { url: text };
  if (!application)
    throw new MatrixError(
      `There is no application "${written}".`,
      suggestNearest(
        written!,
        applications.map(({ name }) => name),
      ) ?? 'Define it, or give a URL.',
    );
  const found = findApplication(context, application.name);
  if (!found)
    throw new MatrixError(
      `No request was found that is recognised as ${application.name}.`,
      'Give a URL of it, or look at its signatures.',
    );
  return found.url === undefined ? { attributes: found.attributes } : { url: found.url };
}

function clientsOf({ rulebook }: EvaluationContext, text: string): MatrixClient[] {
  const at = text.lastIndexOf('@');
  const [user, client] = at < 0 ? [undefined, text] : [text.slice(0, at), text.slice(at + 1)];
  const address = parseAddress(client);
  if (address) return [{ client: formatAddress(address), ...(user === undefined ? {} : { user }) }];
  const list = rulebook.lists.get(text);
  const names = [...rulebook.lists].filter(([, { kind }]) => kind === 'addresses').map(([name]) => name);
  if (list?.kind !== 'addresses')
    throw new MatrixError(
      `Found "${text}", expected an address, user@address, or the name of a list of addresses.`,
      suggestNearest(text, names) ?? `The lists are: ${names.join(', ')}.`,
    );
  const members = membersOf(rulebook.lists, text, new Set());
  const taken = members.filter((one) => list.members.find(one)).slice(0, LIST_MEMBERS);
  if (taken.length === 0)
    throw new MatrixError(`The list ${text} has no entries that are written in it.`, 'Give addresses of its members.');
  return taken.map((one) => ({ client: formatAddress(one), list: text }));
}

/** The first address of each entry, those of lists inside it included. */
function membersOf(lists: EvaluationContext['rulebook']['lists'], name: string, seen: Set<string>): Address[] {
  if (seen.has(name)) return [];
  seen.add(name);
  return (lists.get(name)?.source.entries ?? []).flatMap((value) => {
    if (value.kind === 'addresses') return [Address.ofValue(value.range.family, value.range.first)];
    return value.kind === 'word' || value.kind === 'list' ? membersOf(lists, value.name, seen) : [];
  });
}

function decideCell(
  context: EvaluationContext,
  { client, user }: MatrixClient,
  { url, attributes }: Destination,
  atUnixMs: number,
  method: string,
): Decision {
  if (url === undefined) {
    const known = {
      ...attributes,
      'client.address': client,
      'network.peer.address': client,
      'user.name': user === undefined ? null : [user],
      'jade.groups': null,
    };
    return decide(context, normalizeRequest({ line: 1, atUnixMs, attributes: known }), new State());
  }
  const fields = user === undefined ? [] : [{ field: 'user', value: user }];
  const { record, problems } = buildSyntheticRecord({ client, url, method, atUnixMs, fields });
  if (!record) throw new MatrixError(problems.map(({ message }) => message).join(' '), 'Correct it.');
  return decide(context, normalizeRequest(record), new State());
}

function expectationOf(
  { client, user }: MatrixClient,
  url: string,
  atUnixMs: number,
  method: string,
  { outcome, fence, rule }: Decision,
): string | undefined {
  if (outcome === 'uncovered') return undefined;
  const fields = [
    ...(method === 'GET' ? [] : [`method ${method}`]),
    ...(user === undefined ? [] : [`user ${JSON.stringify(user)}`]),
  ];
  return [
    `expect ${outcome}${fence !== undefined && rule !== undefined ? ` by rule ${ruleId(fence, rule)}` : ''}`,
    `from ${client} to ${JSON.stringify(/^[a-z][a-z0-9+.-]*:\/\//i.test(url) ? url : `https://${url}`)}`,
    ...(fields.length > 0 ? [`with ${fields.join(', ')}`] : []),
    `at ${new Date(atUnixMs).toISOString().replace('.000Z', 'Z')}`,
  ].join(' ');
}

function warningsOf(clients: readonly MatrixClient[], to: readonly string[], cells: readonly MatrixCell[]): string[] {
  const only = (some: readonly MatrixCell[]): 'stopped' | 'passed' | undefined => {
    const judged = some.filter(({ outcome }) => outcome !== 'uncovered');
    if (judged.length === 0) return undefined;
    const numStopped = judged.filter(({ outcome }) => isStop(outcome)).length;
    return numStopped === 0 ? 'passed' : numStopped === judged.length ? 'stopped' : undefined;
  };
  const lacking = { passed: 'none is stopped', stopped: 'none passes' } as const;
  return [
    ...to.flatMap((url, column) => {
      const result = only(cells.filter((cell) => cell.to === column));
      return result && clients.length > 1 ? [`To ${url} ${lacking[result]} of these clients.`] : [];
    }),
    ...clients.flatMap((client, row) => {
      const result = only(cells.filter((cell) => cell.client === row));
      const which = { passed: 'nothing is stopped', stopped: 'nothing passes' } as const;
      return result && to.length > 1 ? [`From ${labelOf(client)} ${which[result]} of these destinations.`] : [];
    }),
  ];
}

/** A client as people name it. */
export function labelOf({ client, user, list }: MatrixClient): string {
  return `${user === undefined ? '' : `${user}@`}${client}${list === undefined ? '' : ` (${list})`}`;
}
