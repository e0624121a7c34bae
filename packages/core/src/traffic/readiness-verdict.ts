/** Whether a trial is ready to be enforced, and why. */
import type { Rulebook } from '../check/rulebook.js';
import type { FenceStatement } from '../language/tree.js';
import { parseAddress } from '../request/address.js';
import type { TrialCounter, TrialOfClient, TrialOfDay } from './readiness.js';

/** A client with at least so many requests that pass, and twice as many as would be stopped, is probably legitimate. */
const PASSING_ENOUGH = 5;
/** Of what stops a larger share of the clients, ordinary visitors are probably a part. */
const WIDE_SHARE = 0.05;
/** A day on which this many times as much of the requests would be stopped as on the day before is pointed out. */
const JUMP = 3;
const SHOWN_CLIENTS = 100;

/** Ready to be enforced; some clients are to be looked at first; no replay shows anything; nothing of it is in trial. */
export type ReadinessVerdict = 'ready' | 'look' | 'untried' | 'nothing-in-trial';

export interface ReadinessClient {
  readonly client: string;
  readonly country?: string;
  readonly newlyStopped: number;
  readonly passing: number;
  readonly users: readonly string[];
  /** Of a protected list that the client is in. */
  readonly protectedBy?: string;
  /** Why it is probably legitimate; none where it is not. */
  readonly reasons: readonly string[];
}

export interface Readiness {
  readonly fence: string;
  readonly title?: string;
  readonly mode: 'trial' | 'enforce';
  readonly verdict: ReadinessVerdict;
  /** In sentences, the most important first. */
  readonly reasons: readonly string[];
  /** At the gates of the fence. */
  readonly requests: number;
  readonly newlyStopped: number;
  /** Requests that the fence stops today and would let through. */
  readonly mayPass: number;
  /** Most requests first; without a rule what its `otherwise` would stop. */
  readonly rules: readonly {
    readonly rule?: string;
    readonly wouldStop: number;
    readonly newlyStopped: number;
    readonly clients: number;
  }[];
  readonly countries: readonly { readonly country?: string; readonly newlyStopped: number; readonly clients: number }[];
  /** Those that are probably legitimate first, then by requests; at most 100. */
  readonly clients: readonly ReadinessClient[];
  readonly numClients: number;
  /** Those of which some request passes today, the others among them. */
  readonly numAllClients: number;
  readonly numLegitimate: number;
  readonly days: readonly TrialOfDay[];
}

/** @param counters of replays, one each */
export function assessReadiness(
  fence: FenceStatement,
  { lists }: Pick<Rulebook, 'lists'>,
  counters: readonly TrialCounter[],
): Readiness {
  const { stopped, numAll } = addClients(counters);
  const clients = [...stopped]
    .map(([client, one]) => describeClient(client, one, lists))
    .sort(
      (a, b) =>
        Number(b.protectedBy !== undefined) - Number(a.protectedBy !== undefined) ||
        Math.sign(b.reasons.length) - Math.sign(a.reasons.length) ||
        b.newlyStopped - a.newlyStopped ||
        (a.client < b.client ? -1 : 1),
    );
  const sum = (of: 'requests' | 'newlyStopped' | 'mayPass'): number =>
    counters.reduce((total, { totals }) => total + totals[of], 0);
  const known = {
    requests: sum('requests'),
    newlyStopped: sum('newlyStopped'),
    mayPass: sum('mayPass'),
    rules: addRules(counters),
    countries: byCountry(clients),
    clients: clients.slice(0, SHOWN_CLIENTS),
    numClients: clients.length,
    numAllClients: numAll,
    numLegitimate: clients.filter(({ reasons }) => reasons.length > 0).length,
    days: addDays(counters),
  };
  const unknownClient = counters.reduce((total, counter) => total + counter.unknownClient, 0);
  return {
    fence: fence.name,
    ...(fence.title === undefined ? {} : { title: fence.title }),
    mode: fence.mode,
    ...judge(fence, known, clients, unknownClient),
    ...known,
  };
}

/** Clients of which a request would be stopped, and how many have one that passes today. */
function addClients(counters: readonly TrialCounter[]): {
  readonly stopped: ReadonlyMap<string, TrialOfClient>;
  readonly numAll: number;
} {
  const all = new Map<string, TrialOfClient>();
  for (const counter of counters)
    for (const [client, one] of counter.stoppedClients()) {
      const known = all.get(client);
      if (known) {
        known.newlyStopped += one.newlyStopped;
        for (const user of one.users) known.users.add(user);
      } else all.set(client, { ...one, users: new Set(one.users) });
    }
  const others = new Set<string>();
  for (const counter of counters)
    for (const [client, requests] of counter.passingClients()) {
      const known = all.get(client);
      if (known) known.passing += requests;
      else others.add(client);
    }
  return { stopped: all, numAll: all.size + others.size };
}

function describeClient(
  client: string,
  { country, newlyStopped, passing, users }: TrialOfClient,
  lists: Rulebook['lists'],
): ReadinessClient {
  const address = parseAddress(client);
  const isIn = [...lists.values()].find(({ isProtected, members }) => isProtected && address && members.find(address));
  const reasons = [
    ...(isIn ? [`It is of the protected list ${isIn.name}.`] : []),
    ...(users.size > 0 ? [`Signed in as ${[...users].join(', ')}.`] : []),
    ...(passing >= PASSING_ENOUGH && passing >= 2 * newlyStopped
      ? [`${passing.toLocaleString('en')} of its requests pass.`]
      : []),
  ];
  return {
    client,
    ...(country === undefined ? {} : { country }),
    newlyStopped,
    passing,
    users: [...users],
    ...(isIn ? { protectedBy: isIn.name } : {}),
    reasons,
  };
}

function addRules(counters: readonly TrialCounter[]): Readiness['rules'] {
  const all = new Map<string | undefined, { wouldStop: number; newlyStopped: number; clients: Set<string> }>();
  for (const { rule, wouldStop, newlyStopped, clients } of counters.flatMap((counter) => counter.rules)) {
    const known = all.get(rule) ?? { wouldStop: 0, newlyStopped: 0, clients: new Set<string>() };
    known.wouldStop += wouldStop;
    known.newlyStopped += newlyStopped;
    for (const client of clients) known.clients.add(client);
    all.set(rule, known);
  }
  return [...all]
    .map(([rule, { clients, ...counts }]) => ({
      ...(rule === undefined ? {} : { rule }),
      ...counts,
      clients: clients.size,
    }))
    .sort((a, b) => b.newlyStopped - a.newlyStopped || ((a.rule ?? '') < (b.rule ?? '') ? -1 : 1));
}

function byCountry(clients: readonly ReadinessClient[]): Readiness['countries'] {
  const all = new Map<string | undefined, { newlyStopped: number; clients: number }>();
  for (const { country, newlyStopped } of clients) {
    const known = all.get(country) ?? { newlyStopped: 0, clients: 0 };
    all.set(country, { newlyStopped: known.newlyStopped + newlyStopped, clients: known.clients + 1 });
  }
  return [...all]
    .map(([country, counts]) => ({ ...(country === undefined ? {} : { country }), ...counts }))
    .sort((a, b) => b.newlyStopped - a.newlyStopped || ((a.country ?? '') < (b.country ?? '') ? -1 : 1));
}

function addDays(counters: readonly TrialCounter[]): TrialOfDay[] {
  const all = new Map<string, TrialOfDay>();
  for (const { day, requests, newlyStopped } of counters.flatMap((counter) => counter.days)) {
    const known = all.get(day) ?? { day, requests: 0, newlyStopped: 0 };
    known.requests += requests;
    known.newlyStopped += newlyStopped;
    all.set(day, known);
  }
  return [...all.values()].sort((a, b) => (a.day < b.day ? -1 : 1));
}

function judge(
  fence: FenceStatement,
  {
    requests,
    newlyStopped,
    days,
    numLegitimate,
    numAllClients,
  }: Pick<Readiness, 'requests' | 'newlyStopped' | 'days' | 'numLegitimate' | 'numAllClients'>,
  clients: readonly ReadinessClient[],
  unknownClient: number,
): Pick<Readiness, 'verdict' | 'reasons'> {
  if (fence.mode === 'enforce' && fence.rules.every(({ state }) => state !== 'trial'))
    return { verdict: 'nothing-in-trial', reasons: [] };
  if (requests === 0)
    return { verdict: 'untried', reasons: ['No replay judged a request at a gate of this fence as it is now.'] };
  const count = (number: number, one: string): string =>
    `${number.toLocaleString('en')} ${one}${number === 1 ? '' : 's'}`;
  const isProtected = clients.filter(({ protectedBy }) => protectedBy !== undefined);
  const signedIn = clients.filter(({ users }) => users.length > 0);
  const jumps = days.flatMap((day, at) => {
    const before = days[at - 1];
    if (!before || before.newlyStopped === 0) return [];
    const times = day.newlyStopped / day.requests / (before.newlyStopped / before.requests);
    return times >= JUMP ? [`On ${day.day} it would stop ${Math.round(times)} times the share of ${before.day}.`] : [];
  });
  const concerns = [
    ...(isProtected.length > 0
      ? [
          `It would stop ${count(isProtected.length, 'client')} of the protected list ${[...new Set(isProtected.map(({ protectedBy }) => protectedBy))].join(', ')}.`,
        ]
      : []),
    ...(numLegitimate > 0
      ? [
          `${count(numLegitimate, 'client')} of ${clients.length.toLocaleString('en')} that it would stop ${numLegitimate === 1 ? 'is' : 'are'} probably legitimate: look at ${numLegitimate === 1 ? 'it' : 'them'} first.`,
        ]
      : []),
    ...(signedIn.length > 0 ? [`At ${count(signedIn.length, 'client')} a user is signed in.`] : []),
    ...(clients.length > 1 && clients.length > numAllClients * WIDE_SHARE
      ? [
          `It would stop ${Math.round((100 * clients.length) / numAllClients)}% of the clients whose requests pass today: some are probably ordinary visitors.`,
        ]
      : []),
    ...(clients.length === 1 && numAllClients === 1
      ? ['It would stop the only client whose requests pass today: look at logs with others.']
      : []),
    ...jumps,
    ...(unknownClient > 0 ? [`The client of ${count(unknownClient, 'request')} that it would stop is not known.`] : []),
  ];
  const fact =
    newlyStopped === 0
      ? `Of ${count(requests, 'request')} at its gates it would stop none that passes today.`
      : `Of ${count(requests, 'request')} at its gates it would stop ${newlyStopped.toLocaleString('en')} that pass${newlyStopped === 1 ? 'es' : ''} today, of ${count(clients.length, 'client')}.`;
  return concerns.length > 0
    ? { verdict: 'look', reasons: [...concerns, fact] }
    : {
        verdict: 'ready',
        reasons: [
          fact,
          ...(newlyStopped === 0
            ? ['Enforcing it changes nothing in these logs.']
            : ['None of these clients is protected, signed in, or makes many requests that pass.']),
        ],
      };
}
