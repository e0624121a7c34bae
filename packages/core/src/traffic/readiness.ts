/** What enforcing a fence that is in trial, or its rules in trial, would have stopped in decided logs. */
import { growWords } from '../arrays/grow.js';
import type { ChunkRows } from '../columns/chunk.js';
import { isStop, type Ruling, type Would } from '../decide/decision.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import type { FenceStatement } from '../language/tree.js';
import { NOT_JUDGED } from '../replay/replay-chunk.js';
import { RequestValues } from './request-values.js';

const DAY_MS = 86_400_000;
/** Of a client so many users are named. */
const MAX_USERS = 3;
const ROOM = 1024;

/** What is in trial of a fence: all of it, or some of its rules. */
export function isOnTrial(fence: Pick<FenceStatement, 'mode' | 'rules'>): boolean {
  return fence.mode === 'trial' || fence.rules.some(({ state }) => state === 'trial');
}

/** What trials of one rule would have done; the fence's `otherwise` has no rule. */
export interface TrialOfRule {
  readonly rule?: string;
  /** Requests that it would have stopped, and those of them that pass today. */
  wouldStop: number;
  newlyStopped: number;
  readonly clients: Set<string>;
}

export interface TrialOfClient {
  readonly country: string | undefined;
  newlyStopped: number;
  /** Requests that pass, and would go on to pass. */
  passing: number;
  /** Who was signed in at requests that would be stopped, at most three. */
  readonly users: Set<string>;
}

export interface TrialOfDay {
  /** Of UTC, as 2026-10-12. */
  readonly day: string;
  /** At the gates of the fence. */
  requests: number;
  newlyStopped: number;
}

/** One replay. */
export interface TrialOfReplay {
  /** At the gates of the fence. */
  readonly requests: number;
  readonly newlyStopped: number;
  /** Requests that are stopped today by this fence and would pass it. */
  readonly mayPass: number;
}

type Effect = 'none' | 'newly-stopped' | 'stopped-anyway' | 'may-pass';

/** Goes through the decisions of one replay. */
export class TrialCounter {
  readonly #values: RequestValues;
  readonly #fence: FenceStatement;
  readonly #gates: ReadonlySet<string>;
  readonly #effects: { readonly effect: Effect; readonly would?: Would }[] = [];
  /** By client: requests that would be stopped, and that pass. */
  #stopped = new Int32Array(ROOM);
  #passing = new Int32Array(ROOM);
  readonly #usersOf = new Map<number, Set<string>>();
  readonly #countryOf = new Map<number, string | undefined>();
  readonly #rules = new Map<string | undefined, { wouldStop: number; newlyStopped: number; clients: Set<number> }>();
  readonly #days = new Map<number, { requests: number; newlyStopped: number }>();
  #unknownClient = 0;
  #totals = { requests: 0, newlyStopped: 0, mayPass: 0 };

  /** @param name of a fence that the rules of the replay have */
  constructor(context: EvaluationContext, name: string) {
    this.#values = new RequestValues(context, ['client', 'country', 'user']);
    this.#fence = context.rulebook.fences.find((fence) => fence.name === name)!;
    this.#gates = new Set(
      context.rulebook.gates.flatMap(({ statement, fences }) => (fences.includes(this.#fence) ? [statement.name] : [])),
    );
  }

  /** The attributes that it reads. */
  get attributes(): string[] {
    return this.#values.attributes;
  }

  /** @param codes of the rows of the chunk, of these rulings */
  add(rows: ChunkRows, codes: Uint32Array, rulings: readonly Ruling[]): void {
    const reader = this.#values.open(rows);
    const times = rows.timesUnixMs();
    for (let row = 0; row < codes.length; row += 1) {
      const code = codes[row]!;
      if (code === NOT_JUDGED) continue;
      const ruling = rulings[code]!;
      if (ruling.gate === undefined || !this.#gates.has(ruling.gate)) continue;
      const { effect, would } = (this.#effects[code] ??= this.#effectOf(ruling));
      const day = this.#dayOf(times[row]!);
      day.requests += 1;
      this.#totals.requests += 1;
      if (effect === 'may-pass') this.#totals.mayPass += 1;
      const isNew = effect === 'newly-stopped';
      if (!isNew && (effect === 'stopped-anyway' || isStop(ruling.outcome))) {
        if (would) this.#ruleOf(would.rule).wouldStop += 1;
        continue;
      }
      reader.row = row;
      const gate = this.#values.gateNumber(ruling.gate);
      const client = this.#values.numberOf('client', reader, gate);
      if (client >= this.#stopped.length) this.#grow(client);
      if (!isNew) {
        if (client >= 0) this.#passing[client]! += 1;
        continue;
      }
      day.newlyStopped += 1;
      this.#totals.newlyStopped += 1;
      const rule = this.#ruleOf(would!.rule);
      rule.wouldStop += 1;
      rule.newlyStopped += 1;
      if (client < 0) {
        this.#unknownClient += 1;
        continue;
      }
      this.#stopped[client]! += 1;
      rule.clients.add(client);
      if (!this.#countryOf.has(client)) {
        const country = this.#values.numberOf('country', reader, gate);
        this.#countryOf.set(client, this.#values.textOf('country', country) ?? undefined);
      }
      const user = this.#values.textOf('user', this.#values.numberOf('user', reader, gate));
      if (user) {
        let users = this.#usersOf.get(client);
        if (!users) this.#usersOf.set(client, (users = new Set()));
        if (users.size < MAX_USERS) users.add(user);
      }
    }
  }

  #grow(client: number): void {
    while (client >= this.#stopped.length) {
      this.#stopped = growWords(this.#stopped);
      this.#passing = growWords(this.#passing);
    }
  }

  /** A fence in trial has one answer, its first ending; rules in trial have one each, the first of which would decide. */
  #effectOf({ would: all, outcome, fence }: Ruling): { readonly effect: Effect; readonly would?: Would } {
    const { name, mode, rules } = this.#fence;
    const inTrial = new Set(rules.flatMap((rule) => (rule.state === 'trial' ? [rule.name] : [])));
    const would = all.find(
      (one) => one.fence === name && (mode === 'enforce' || one.rule === undefined || !inTrial.has(one.rule)),
    );
    if (!would) return { effect: 'none' };
    if (isStop(would.outcome)) return { effect: isStop(outcome) ? 'stopped-anyway' : 'newly-stopped', would };
    return { effect: isStop(outcome) && fence === name ? 'may-pass' : 'none' };
  }

  #ruleOf(rule: string | undefined) {
    let known = this.#rules.get(rule);
    if (!known) this.#rules.set(rule, (known = { wouldStop: 0, newlyStopped: 0, clients: new Set() }));
    return known;
  }

  #dayOf(atUnixMs: number) {
    const number = Math.floor(atUnixMs / DAY_MS);
    let day = this.#days.get(number);
    if (!day) this.#days.set(number, (day = { requests: 0, newlyStopped: 0 }));
    return day;
  }

  get totals(): TrialOfReplay {
    return this.#totals;
  }

  /** Requests that would be stopped whose client is not known. */
  get unknownClient(): number {
    return this.#unknownClient;
  }

  get days(): readonly TrialOfDay[] {
    return [...this.#days].map(([number, counts]) => ({
      day: new Date(number * DAY_MS).toISOString().slice(0, 10),
      ...counts,
    }));
  }

  get rules(): readonly TrialOfRule[] {
    return [...this.#rules].map(([rule, { wouldStop, newlyStopped, clients }]) => ({
      ...(rule === undefined ? {} : { rule }),
      wouldStop,
      newlyStopped,
      clients: new Set([...clients].map((client) => this.#clientText(client))),
    }));
  }

  /** Clients of which a request would be stopped. */
  *stoppedClients(): Generator<[client: string, seen: TrialOfClient]> {
    for (const [client, country] of this.#countryOf)
      yield [
        this.#clientText(client),
        {
          country,
          newlyStopped: this.#stopped[client]!,
          passing: 0,
          users: this.#usersOf.get(client) ?? new Set(),
        },
      ];
  }

  /** Clients with how many of their requests pass, and would go on to. */
  *passingClients(): Generator<[client: string, requests: number]> {
    for (let client = 0; client < this.#passing.length; client += 1)
      if (this.#passing[client]! > 0) yield [this.#clientText(client), this.#passing[client]!];
  }

  #clientText(client: number): string {
    return this.#values.textOf('client', client) ?? '(none)';
  }
}
