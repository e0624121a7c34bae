import type { ChunkRows } from '../columns/chunk.js';
import { NO_GATE } from '../decide/gate.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import { clientFeature, feature } from '../match/features/features.js';
import { KeyFeature, KeyInterner } from '../match/features/keys.js';
import { Plan } from '../match/rows/plan.js';
import { NO_STAGE, Program } from '../match/compile/program.js';
import { ChunkReader } from '../match/rows/row-readers.js';

const UNKNOWN_COUNTRY = 'unknown';

/** By gate, and one more for requests that none covers, the slot of the country of the client. */
class CountryPlan extends Plan {
  readonly texts = new KeyInterner();
  readonly ofGates: readonly number[];

  constructor({ rulebook, countries }: EvaluationContext) {
    super();
    this.ofGates = [...rulebook.gates, NO_GATE].map((gate) => {
      // Gates that determine the client in the same way share a slot.
      const client = clientFeature(gate);
      const country = feature(`counted country of ${client.key}`, client.inputs, (reading) => {
        const address = client.read(reading) ?? reading.request.client;
        return (address && countries?.countryOf(address)) ?? UNKNOWN_COUNTRY;
      });
      return this.slotFor(new KeyFeature(country, this.texts));
    });
    this.seal();
  }
}

/** Counts what `countCountries` counts, chunk by chunk: which gate covers a request and who its client is, once a value. */
export class CountryCounter {
  readonly #program: Program;
  readonly #plan: CountryPlan;
  /** By stage of the program, the number of its gate. */
  readonly #gates: readonly number[];

  constructor(context: EvaluationContext) {
    const gates = context.rulebook.gates.map((gate) => ({ ...gate, fences: [] }));
    this.#program = new Program({ ...context, rulebook: { ...context.rulebook, gates } });
    this.#plan = new CountryPlan(context);
    this.#gates = this.#program.stages.map(({ stage }) => gates.findIndex((gate) => gate === stage.gate));
  }

  /** The attributes that it reads. */
  get attributes(): string[] {
    return [...new Set([...this.#program.attributes, ...this.#plan.attributes])];
  }

  count(rows: ChunkRows): Map<string, number> {
    if (this.#program.isFull) this.#program.clear();
    const [reader, countries] = [new ChunkReader(this.#program, rows), new ChunkReader(this.#plan, rows)];
    const counts = new Map<number, number>();
    for (let row = 0; row < rows.numRows; row += 1) {
      reader.row = countries.row = row;
      const stage = this.#program.stageOf(reader);
      const gate = stage === NO_STAGE ? this.#plan.ofGates.length - 1 : this.#gates[stage >> 1]!;
      const country = countries.numberOf(this.#plan.ofGates[gate]!);
      counts.set(country, (counts.get(country) ?? 0) + 1);
    }
    return new Map([...counts].map(([number, requests]) => [this.#plan.texts.textOf(number), requests]));
  }
}
