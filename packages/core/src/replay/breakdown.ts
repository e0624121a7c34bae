/** Counts the requests of chunks by their properties and outcomes. */
import type { ChunkRows } from '../columns/chunk.js';
import { SparseCounts } from '../columns/sparse-counts.js';
import type { Aspect } from '../decide/aspects.js';
import type { Ruling } from '../decide/decision.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import { OUTCOMES } from '../language/outcomes.js';
import type { RowNumbers } from '../match/rows/column-encoder.js';
import { BreakdownPlan } from '../match/compile/breakdown-plan.js';
import { ChunkReader, RequestReader } from '../match/rows/row-readers.js';
import type { Request } from '../request/request.js';
import { addHour, addValue, createTally, type Tally } from './tally.js';

const NUM_OUTCOMES = OUTCOMES.length;

export class Breakdown {
  readonly #describer: BreakdownPlan;
  readonly #counts: ReadonlyMap<Aspect, SparseCounts>;
  readonly #hours = new SparseCounts();
  /** What was counted before the numbers of values were released. */
  #tally = createTally();

  constructor(context: EvaluationContext) {
    this.#describer = new BreakdownPlan(context);
    this.#counts = new Map(this.#describer.aspects.map((aspect) => [aspect, new SparseCounts()]));
  }

  /** The attributes that it reads. */
  get attributes(): string[] {
    return this.#describer.attributes;
  }

  /**
   * Counts requests.
   * @param codes the ruling of each
   * @param sequence where each lies; without it they are all rows of the one chunk
   */
  count(
    chunks: readonly ChunkRows[],
    codes: Uint32Array,
    rulings: readonly Ruling[],
    atUnixMs: Float64Array,
    sequence: { readonly chunkOf: Uint32Array; readonly rowOf: Uint32Array } | undefined,
  ): void {
    const describer = this.#describer;
    if (describer.isFull) {
      this.#flush();
      describer.clear();
    }
    const seats = chunks.map((rows) => new ChunkReader(describer, rows));
    const gateOf = rulings.map(({ gate }) => describer.gateNumber(gate));
    const outcomeOf = rulings.map(({ outcome }) => OUTCOMES.indexOf(outcome));
    for (const [aspect, counts] of this.#counts) {
      // By chunk and gate, the numbers of all rows, where they are read once a value.
      const numbersOf = seats.map((): RowNumbers[] => []);
      for (let index = 0; index < codes.length; index += 1) {
        const code = codes[index]!;
        const chunk = sequence ? sequence.chunkOf[index]! : 0;
        const row = sequence ? sequence.rowOf[index]! : index;
        const gate = gateOf[code]!;
        const known = numbersOf[chunk]![gate] ?? this.#numbersOf(aspect, seats[chunk]!, gate, numbersOf[chunk]!);
        counts.add(
          (known ? known.numbers[known.keys[row]!]! : this.#recognise(aspect, seats[chunk]!, row, gate)) *
            NUM_OUTCOMES +
            outcomeOf[code]!,
        );
      }
    }
    for (let index = 0; index < codes.length; index += 1)
      this.#hours.add(hourOf(atUnixMs[index]!) * NUM_OUTCOMES + outcomeOf[codes[index]!]!);
  }

  #numbersOf(aspect: Aspect, reader: ChunkReader, gate: number, known: RowNumbers[]): RowNumbers | undefined {
    const slot = this.#describer.slotOf(aspect, gate);
    return slot === undefined ? undefined : (known[gate] = reader.numbersOf(slot));
  }

  #recognise(aspect: Aspect, reader: ChunkReader, row: number, gate: number): number {
    reader.row = row;
    return this.#describer.numberOf(aspect, reader, gate);
  }

  /** What was counted since the last call. */
  take(): Tally['by'] {
    this.#flush();
    const { by } = this.#tally;
    this.#tally = createTally();
    return by;
  }

  #flush(): void {
    const describer = this.#describer;
    for (const [aspect, counts] of this.#counts)
      counts.take((number, requests) => {
        const outcome = OUTCOMES[number % NUM_OUTCOMES]!;
        for (const text of describer.valuesAt(aspect, Math.floor(number / NUM_OUTCOMES)))
          addValue(this.#tally, aspect, text, outcome, requests);
      });
    this.#hours.take((number, requests) =>
      addHour(this.#tally, Math.floor(number / NUM_OUTCOMES), OUTCOMES[number % NUM_OUTCOMES]!, requests),
    );
  }

  /** Counts one request by itself. */
  countRequest({ attributes, atUnixMs }: Request, { gate, outcome }: Ruling): void {
    const describer = this.#describer;
    if (describer.isFull) {
      this.#flush();
      describer.clear();
    }
    const reader = new RequestReader(describer, attributes);
    const number = describer.gateNumber(gate);
    const place = OUTCOMES.indexOf(outcome);
    for (const [aspect, counts] of this.#counts)
      counts.add(describer.numberOf(aspect, reader, number) * NUM_OUTCOMES + place);
    this.#hours.add(hourOf(atUnixMs) * NUM_OUTCOMES + place);
  }
}

const HOUR_MS = 3_600_000;

/** The hour of the day in UTC. */
export function hourOf(atUnixMs: number): number {
  return ((Math.floor(atUnixMs / HOUR_MS) % 24) + 24) % 24;
}
