/** *Naive loop*: the obvious implementation. Every rule for every request, sets where there are sets, exact limits. */
import type { BenchRequest } from './requests.js';
import type { BenchRule, Part } from './policy.js';
import { readAddress, type ReferenceData } from './reference-data.js';

/** @returns the index of the rule that decides, -1 for the end; limits decide where they trip */
export type Decide = (request: BenchRequest) => number;

type Test = (request: BenchRequest) => boolean;

export function createPlain(rules: readonly BenchRule[], data: ReferenceData): Decide {
  const prepared = rules.map(({ parts, action }) => ({
    tests: parts.map((part) => createTest(part, data)),
    limit: typeof action === 'string' ? undefined : new ExactLimit(action.count, action.windowMs),
  }));
  return (request) => {
    for (let index = 0; index < prepared.length; index += 1) {
      const { tests, limit } = prepared[index]!;
      if (!tests.every((test) => test(request))) continue;
      if (!limit || limit.trips(request.client, request.atUnixMs)) return index;
    }
    return -1;
  };
}

/** Times of the requests of each client that still lie in the window. */
export class ExactLimit {
  readonly #times = new Map<string, number[]>();

  constructor(
    private readonly count: number,
    private readonly windowMs: number,
  ) {}

  trips(key: string, atUnixMs: number): boolean {
    let times = this.#times.get(key);
    if (!times) this.#times.set(key, (times = []));
    while (times.length > 0 && times[0]! <= atUnixMs - this.windowMs) times.shift();
    times.push(atUnixMs);
    if (times.length > this.count + 1) times.shift();
    return times.length > this.count;
  }
}

export function createTest(part: Part, data: ReferenceData): Test {
  switch (part.kind) {
    case 'country': {
      const codes = new Set(part.codes);
      return ({ client }) => codes.has(data.countryOf(client)) !== part.isNegated;
    }
    case 'client': {
      const networks = new Networks(part.networks);
      return ({ client }) => networks.has(client);
    }
    case 'host': {
      const domains = new Set(part.domains);
      return ({ host }) => isUnder(host, (domain) => domains.has(domain));
    }
    case 'category': {
      const names = new Set(part.names);
      return ({ host }) => names.has(data.categoryOf(host));
    }
    case 'path':
      return ({ path }) =>
        part.prefixes.some(
          (prefix) => path.startsWith(prefix) && (path.length === prefix.length || path[prefix.length] === '/'),
        );
    case 'path-matches': {
      const expression = new RegExp(part.expression);
      return ({ path }) => expression.test(path);
    }
    case 'agent-matches': {
      const expression = new RegExp(part.expression);
      return ({ agent }) => expression.test(agent);
    }
    case 'agent-contains':
      return ({ agent }) => agent.includes(part.text);
    case 'method': {
      const names = new Set(part.names);
      return ({ method }) => names.has(method);
    }
  }
}

/** A set of networks, a hash for each length of prefix. */
class Networks {
  readonly #byBits4 = new Map<number, Set<number>>();
  readonly #byBits6 = new Map<number, Set<bigint>>();

  constructor(networks: readonly string[]) {
    for (const network of networks) {
      const [text, length] = network.split('/') as [string, string];
      const address = readAddress(text);
      const bits = Number(length);
      if (typeof address === 'number') add(this.#byBits4, bits, Math.floor(address / 2 ** (32 - bits)));
      else add(this.#byBits6, bits, address >> BigInt(128 - bits));
    }
  }

  has(client: string): boolean {
    const address = readAddress(client);
    if (typeof address === 'number') {
      for (const [bits, set] of this.#byBits4) if (set.has(Math.floor(address / 2 ** (32 - bits)))) return true;
    } else {
      for (const [bits, set] of this.#byBits6) if (set.has(address >> BigInt(128 - bits))) return true;
    }
    return false;
  }
}

function add<T>(byBits: Map<number, Set<T>>, bits: number, prefix: T): void {
  const set = byBits.get(bits);
  if (set) set.add(prefix);
  else byBits.set(bits, new Set([prefix]));
}

/** Whether a host or a domain above it is in a set. */
export function isUnder(host: string, has: (domain: string) => boolean): boolean {
  if (has(host)) return true;
  for (let dot = host.indexOf('.'); dot >= 0; dot = host.indexOf('.', dot + 1))
    if (has(host.slice(dot + 1))) return true;
  return false;
}
