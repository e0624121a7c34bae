/** What a gate sees of a log: whom its address header makes the client, and what encryption hides from it. */
import type { ChunkRows } from '../columns/chunk.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import { resolveClient } from '../decide/view.js';
import { clientInputs, encryptedFeature, feature } from '../match/features/features.js';
import { KeyFeature, KeyInterner } from '../match/features/keys.js';
import { NO_STAGE, Program } from '../match/compile/program.js';
import { Plan } from '../match/rows/plan.js';
import { ChunkReader } from '../match/rows/row-readers.js';
import { formatAddress, type Address } from '../request/address.js';
import type { Field } from '../request/field.js';
import { headerOf } from '../request/fields.js';
import { invariant } from '../request/invariant.js';

/** Counts of requests, as plain data. */
export interface GateCounts {
  /** At the gate. */
  readonly requests: number;
  /** Those that have the address header of the gate; with another client by it; of a peer that is not trusted. */
  readonly withHeader: number;
  readonly changed: number;
  readonly ignored: number;
  /** By country of the client, without the header and by it; `unknown` where it has none. */
  readonly countries: Readonly<Record<string, { readonly before: number; readonly after: number }>>;
  /** At an outbound gate; an inbound one sees all. */
  readonly encrypted: number;
  /** Encrypted ones that are not inspected. */
  readonly hidden: number;
}

interface Seen {
  readonly hasHeader: boolean;
  readonly isChanged: boolean;
  readonly before: string;
  readonly after: string;
}

const UNKNOWN_COUNTRY = 'unknown';

class GatePlan extends Plan {
  readonly texts = new KeyInterner();
  readonly seen: number;
  readonly encrypted: number;

  constructor({ rulebook, countries }: EvaluationContext, name: string) {
    super();
    const gate = rulebook.gates.find(({ statement }) => statement.name === name);
    invariant(gate, `there is no gate ${name}`);
    const header = gate.statement.clientFrom?.header;
    const countryOf = (address: Field<Address>): string =>
      (address && countries?.countryOf(address)) ?? UNKNOWN_COUNTRY;
    const seen = feature(`client at ${name}, before and after`, clientInputs(gate), ({ request }) => {
      const { client } = resolveClient(gate, request);
      return JSON.stringify({
        hasHeader: header !== undefined && headerOf(request, header) != null,
        isChanged: textOf(client) !== textOf(request.client),
        before: countryOf(request.client),
        after: countryOf(client),
      } satisfies Seen);
    });
    this.seen = this.slotFor(new KeyFeature(seen, this.texts));
    this.encrypted = this.slotFor(
      feature('encrypted, as a number', encryptedFeature.inputs, (reading) => (encryptedFeature.read(reading) ? 1 : 0)),
    );
    this.seal();
  }

  seenAt(number: number): Seen {
    return JSON.parse(this.texts.textOf(number)) as Seen;
  }
}

/** Counts chunk by chunk, each value once. */
export class GatePreviewCounter {
  readonly #program: Program;
  readonly #plan: GatePlan;

  /** @param gate the name of one of the rulebook */
  constructor(
    context: EvaluationContext,
    private readonly gate: string,
  ) {
    const gates = context.rulebook.gates.map((item) => ({ ...item, fences: [] }));
    this.#program = new Program({ ...context, rulebook: { ...context.rulebook, gates } });
    this.#plan = new GatePlan(context, gate);
  }

  /** The attributes that it reads. */
  get attributes(): string[] {
    return [...new Set([...this.#program.attributes, ...this.#plan.attributes])];
  }

  count(rows: ChunkRows): GateCounts {
    if (this.#program.isFull) this.#program.clear();
    if (this.#plan.isFull) this.#plan.clear();
    const [reader, plan] = [new ChunkReader(this.#program, rows), new ChunkReader(this.#plan, rows)];
    const bySeen = new Map<number, number>();
    let [requests, ignored, encrypted, hidden] = [0, 0, 0, 0];
    for (let row = 0; row < rows.numRows; row += 1) {
      reader.row = plan.row = row;
      const at = this.#program.stageOf(reader);
      if (at === NO_STAGE) continue;
      const { stage } = this.#program.stages[at >> 1]!;
      if (stage.gate.statement.name !== this.gate) continue;
      requests += 1;
      ignored += at & 1;
      if (stage.gate.statement.direction === 'outbound') encrypted += plan.numberOf(this.#plan.encrypted);
      if (stage.isHidden) hidden += 1;
      const seen = plan.numberOf(this.#plan.seen);
      bySeen.set(seen, (bySeen.get(seen) ?? 0) + 1);
    }
    let [withHeader, changed] = [0, 0];
    const countries: Record<string, { before: number; after: number }> = {};
    for (const [number, times] of bySeen) {
      const seen = this.#plan.seenAt(number);
      if (seen.hasHeader) withHeader += times;
      if (seen.isChanged) changed += times;
      (countries[seen.before] ??= { before: 0, after: 0 }).before += times;
      (countries[seen.after] ??= { before: 0, after: 0 }).after += times;
    }
    return { requests, withHeader, changed, ignored, countries, encrypted, hidden };
  }
}

/** Adds up previews of parts of a log. */
export function addGatePreviews(parts: readonly GateCounts[]): GateCounts {
  const sum = (key: Exclude<keyof GateCounts, 'countries'>): number =>
    parts.reduce((total, part) => total + part[key], 0);
  const countries: Record<string, { before: number; after: number }> = {};
  for (const part of parts)
    for (const [country, { before, after }] of Object.entries(part.countries)) {
      const total = (countries[country] ??= { before: 0, after: 0 });
      total.before += before;
      total.after += after;
    }
  return {
    requests: sum('requests'),
    withHeader: sum('withHeader'),
    changed: sum('changed'),
    ignored: sum('ignored'),
    countries,
    encrypted: sum('encrypted'),
    hidden: sum('hidden'),
  };
}

function textOf(address: Field<Address>): string | null | undefined {
  return address && formatAddress(address);
}
