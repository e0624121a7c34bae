/** What findings from traffic are made of: counts over the decisions of a log. */
import { ABSENT, PairMap } from '../arrays/pair-map.js';
import type { ChunkRows } from '../columns/chunk.js';
import { isStop, ruleId, type Ruling } from '../decide/decision.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import type { Comparison, Condition, Rule } from '../language/tree.js';
import { Program } from '../match/compile/program.js';
import { NOT_JUDGED } from '../replay/replay-chunk.js';
import type { LogRecord } from '../request/record.js';
import { NO_COUNTRY } from '../reference/country-table.js';
import { RequestValues } from './request-values.js';

/** Of a group no more distinct paths are distinguished; with more it is no single source. */
const MAX_PATHS = 64;
/** Of what a rule could not know so many examples are kept. */
const MAX_SAMPLES = 20;
/** Pairs of a client and an agent, or a user, that are distinguished. */
const MAX_PAIRS = 2_000_000;
/** One that is unknown, or known already. */
const NO_CLIENT = -1;

/** Requests with one agent, or of one country. */
export interface SourceGroup {
  requests: number;
  passing: number;
  readonly clients: Set<number>;
  /** Requests by number of the path. */
  readonly paths: Map<number, number>;
}

/** Requests that a rule by country stops, or would. */
export interface CountryStops {
  requests: number;
  /** By client, their number. */
  readonly clients: Map<number, number>;
}

export interface LimitedClients {
  readonly counted: Set<number>;
  readonly stopped: Set<number>;
}

interface CodePlan {
  readonly gate: number;
  readonly isJudged: boolean;
  readonly passes: boolean;
  readonly byCountry: readonly string[];
  readonly limits: readonly { readonly rule: string; readonly isTripped: boolean }[];
  /** Rules that could not be known, of which examples are still wanted. */
  readonly blind: readonly string[];
}

/** A request of which the condition of a rule is unknown. */
export interface BlindSample {
  readonly record: LogRecord;
  readonly ruling: Ruling;
}

export class TrafficCounts {
  readonly values: RequestValues;
  /** The attributes that it reads: also what rules look at, so that what they lacked can be named. */
  readonly attributes: readonly string[];
  /** By number of the agent, or of the country. */
  readonly agents: (SourceGroup | undefined)[] = [];
  readonly countries: (SourceGroup | undefined)[] = [];
  /** By rule. */
  readonly countryStops = new Map<string, CountryStops>();
  readonly limits = new Map<string, LimitedClients>();
  /** By number of the client. */
  readonly clients: number[] = [];
  readonly agentsOf: number[] = [];
  readonly usersOf: number[] = [];
  /** By number of the host: requests. By number of the path: requests that pass, and the gates they pass at. */
  readonly hosts: number[] = [];
  readonly passingPaths: ({ requests: number; readonly gates: Set<number> } | undefined)[] = [];
  /** Requests at a gate, and those without a country that is known. */
  judged = 0;
  unknownCountry = 0;
  /** By rule, the first few requests at which it was blind. */
  readonly blindSamples = new Map<string, BlindSample[]>();
  /** Of a client and an agent, and of a client and a user. */
  readonly #pairs = [new PairMap(), new PairMap()] as const;
  /** By client, the country that it had last. */
  readonly #countryOf: number[] = [];
  readonly #plans: CodePlan[] = [];
  /** By number of a country, whether it is none. */
  readonly #noCountry: boolean[] = [];
  readonly #rules: ReadonlyMap<string, Rule>;

  constructor(readonly context: EvaluationContext) {
    this.values = new RequestValues(context, ['client', 'country', 'host', 'path', 'agent', 'user']);
    this.attributes = [...new Set([...this.values.attributes, ...new Program(context).attributes])];
    this.#rules = new Map(
      context.rulebook.fences.flatMap(({ name, rules }) =>
        rules.map((rule) => [ruleId(name, rule.name), rule] as const),
      ),
    );
  }

  /** @param codes of the rows of the chunk, of these rulings */
  add(rows: ChunkRows, codes: Uint32Array, rulings: readonly Ruling[]): void {
    const { values } = this;
    const reader = values.open(rows);
    for (let row = 0; row < codes.length; row += 1) {
      const code = codes[row]!;
      if (code === NOT_JUDGED) continue;
      const plan = (this.#plans[code] ??= this.#planOf(rulings[code]!));
      if (!plan.isJudged) continue;
      reader.row = row;
      const { gate, passes } = plan;
      const client = values.numberOf('client', reader, gate);
      const country = values.numberOf('country', reader, gate);
      const path = values.numberOf('path', reader, gate);
      const agent = values.numberOf('agent', reader, gate);
      this.judged += 1;
      for (const rule of plan.blind)
        if ((this.blindSamples.get(rule)?.length ?? 0) < MAX_SAMPLES)
          this.#keepSample(rule, rows.row(row) as LogRecord, rulings[code]!);
      if (country < 0 || this.#isNoCountry(country)) this.unknownCountry += 1;
      increase(this.hosts, values.numberOf('host', reader, gate));
      increase(this.clients, client);
      if (passes && path >= 0) this.#addPassingPath(path, gate);
      const isNewToAgent = this.#pair(client, agent, 0, this.agentsOf);
      if (agent >= 0) addTo(this.agents, agent, isNewToAgent ? client : NO_CLIENT, path, passes);
      const isNewToCountry = client >= 0 && this.#countryOf[client] !== country;
      if (country >= 0) addTo(this.countries, country, isNewToCountry ? client : NO_CLIENT, path, passes);
      if (client < 0) continue;
      this.#countryOf[client] = country;
      this.#pair(client, values.numberOf('user', reader, gate), 1, this.usersOf);
      for (const rule of plan.byCountry) {
        const stops = this.countryStops.get(rule) ?? { requests: 0, clients: new Map<number, number>() };
        this.countryStops.set(rule, stops);
        stops.requests += 1;
        stops.clients.set(client, (stops.clients.get(client) ?? 0) + 1);
      }
      for (const { rule, isTripped } of plan.limits) {
        const limited = this.limits.get(rule) ?? { counted: new Set<number>(), stopped: new Set<number>() };
        this.limits.set(rule, limited);
        limited.counted.add(client);
        if (isTripped) limited.stopped.add(client);
      }
    }
  }

  #keepSample(rule: string, record: LogRecord, ruling: Ruling): void {
    const samples = this.blindSamples.get(rule) ?? [];
    this.blindSamples.set(rule, samples);
    samples.push({ record, ruling });
  }

  #addPassingPath(path: number, gate: number): void {
    const known = this.passingPaths[path];
    if (known) {
      known.requests += 1;
      known.gates.add(gate);
    } else this.passingPaths[path] = { requests: 1, gates: new Set([gate]) };
  }

  #isNoCountry(number: number): boolean {
    return (this.#noCountry[number] ??= this.values.textOf('country', number) === NO_COUNTRY);
  }

  /** Counts how many values of another field a client has. @returns whether it had not this one, or that is not known */
  #pair(client: number, other: number, field: 0 | 1, counts: number[]): boolean {
    if (client < 0 || other < 0) return false;
    const pairs = this.#pairs[field];
    if (pairs.get(client, other) !== ABSENT) return false;
    if (pairs.size < MAX_PAIRS) {
      pairs.add(client, other, 1);
      increase(counts, client);
    }
    return true;
  }

  #planOf({ gate, outcome, fence, rule, would, matched, blind }: Ruling): CodePlan {
    const stopping = [
      ...(fence !== undefined && rule !== undefined && isStop(outcome) ? [ruleId(fence, rule)] : []),
      ...would.flatMap((one) => (one.rule !== undefined && isStop(one.outcome) ? [ruleId(one.fence, one.rule)] : [])),
    ];
    const kindOf = (id: string) => this.#rules.get(id)?.action.kind;
    return {
      gate: this.values.gateNumber(gate),
      isJudged: gate !== undefined,
      passes: !isStop(outcome),
      byCountry: stopping.filter((id) => {
        const one = this.#rules.get(id);
        return one !== undefined && kindOf(id) !== 'limit' && comparisonsOf(one.condition).some(isCountry);
      }),
      limits: matched
        .filter((id) => kindOf(id) === 'limit')
        .map((id) => ({ rule: id, isTripped: stopping.includes(id) })),
      blind,
    };
  }

  ruleOf(id: string): Rule | undefined {
    return this.#rules.get(id);
  }
}

function isCountry({ field, isNegated }: Comparison): boolean {
  return field === 'country' && !isNegated;
}

/** The comparisons of a condition, negated ones too. */
export function comparisonsOf(condition: Condition): readonly Comparison[] {
  switch (condition.kind) {
    case 'comparison':
      return [condition];
    case 'not':
      return comparisonsOf(condition.part);
    case 'and':
    case 'or':
      return condition.parts.flatMap(comparisonsOf);
    default:
      return [];
  }
}

function increase(counts: number[], number: number): void {
  if (number >= 0) counts[number] = (counts[number] ?? 0) + 1;
}

function addTo(
  groups: (SourceGroup | undefined)[],
  number: number,
  client: number,
  path: number,
  passes: boolean,
): void {
  const group = (groups[number] ??= { requests: 0, passing: 0, clients: new Set(), paths: new Map() });
  group.requests += 1;
  if (passes) group.passing += 1;
  if (client >= 0) group.clients.add(client);
  const known = group.paths.get(path);
  if (known !== undefined) group.paths.set(path, known + 1);
  else if (group.paths.size < MAX_PATHS) group.paths.set(path, 1);
}
