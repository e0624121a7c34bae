/** Counts the requests of chunks by what describes them, and by what they came to. */
import type { ChunkRows } from '../columns/chunk.js';
import type { Aspect } from '../decide/aspects.js';
import type { Ruling } from '../decide/decision.js';
import type { Judge } from '../decide/interpreter.js';
import { OUTCOMES } from '../language/outcomes.js';
import { Describer } from '../match/describer.js';
import { ChunkSeat, SingleSeat } from '../match/seat.js';
import type { Request } from '../request/request.js';
import { addHour, addValue, type Tally } from './tally.js';

const FIRST_COUNTS = 4096;

/** Counts by the number of a value and an outcome; all are 0 between two chunks. */
class Counts {
  #counts = new Int32Array(FIRST_COUNTS);
  /** Those that are not 0, in the order in which they came up. */
  #touched: number[] = [];

  add(value: number, outcome: number): void {
    const at = value * OUTCOMES.length + outcome;
    while (at >= this.#counts.length) {
      const grown = new Int32Array(this.#counts.length * 2);
      grown.set(this.#counts);
      this.#counts = grown;
    }
    if (this.#counts[at] === 0) this.#touched.push(at);
    this.#counts[at]! += 1;
  }

  take(hear: (value: number, outcome: number, requests: number) => void): void {
    for (const at of this.#touched) {
      hear(Math.floor(at / OUTCOMES.length), at % OUTCOMES.length, this.#counts[at]!);
      this.#counts[at] = 0;
    }
    this.#touched = [];
  }
}

export class Breakdown {
  readonly #describer: Describer;
  readonly #counts: ReadonlyMap<Aspect, Counts>;

  constructor(judge: Judge) {
    this.#describer = new Describer(judge);
    this.#counts = new Map(this.#describer.aspects.map((aspect) => [aspect, new Counts()]));
  }

  /** The attributes that it reads. */
  get attributes(): string[] {
    return this.#describer.attributes;
  }

  /**
   * @param chunkOf the index of the chunk of each request, and `rowOf` its row; without them all rows of the one chunk
   * @param codes the ruling of each request
   */
  addTo(
    tally: Tally,
    chunks: readonly ChunkRows[],
    codes: Uint32Array,
    rulings: readonly Ruling[],
    atUnixMs: Float64Array,
    sequence: { readonly chunkOf: Uint32Array; readonly rowOf: Uint32Array } | undefined,
  ): void {
    const describer = this.#describer;
    if (describer.isFull) describer.forget();
    const seats = chunks.map((rows) => new ChunkSeat(describer, rows));
    const gateOf = rulings.map(({ gate }) => describer.gateNumber(gate));
    const outcomeOf = rulings.map(({ outcome }) => OUTCOMES.indexOf(outcome));
    for (const [aspect, counts] of this.#counts) {
      for (let index = 0; index < codes.length; index += 1) {
        const code = codes[index]!;
        const seat = seats[sequence ? sequence.chunkOf[index]! : 0]!;
        seat.row = sequence ? sequence.rowOf[index]! : index;
        counts.add(describer.numberOf(aspect, seat, gateOf[code]!), outcomeOf[code]!);
      }
      counts.take((value, outcome, requests) => {
        for (const text of describer.valuesAt(aspect, value))
          addValue(tally, aspect, text, OUTCOMES[outcome]!, requests);
      });
    }
    const hours = new Counts();
    for (let index = 0; index < codes.length; index += 1)
      hours.add(hourOf(atUnixMs[index]!), outcomeOf[codes[index]!]!);
    hours.take((hour, outcome, requests) => addHour(tally, hour, OUTCOMES[outcome]!, requests));
    for (const seat of seats) seat.close();
  }

  /** Counts one request by itself. */
  addRequest(tally: Tally, { attributes, atUnixMs }: Request, { gate, outcome }: Ruling): void {
    const describer = this.#describer;
    if (describer.isFull) describer.forget();
    const seat = new SingleSeat(describer, attributes);
    const number = describer.gateNumber(gate);
    for (const aspect of describer.aspects)
      for (const text of describer.valuesAt(aspect, describer.numberOf(aspect, seat, number)))
        addValue(tally, aspect, text, outcome, 1);
    addHour(tally, hourOf(atUnixMs), outcome, 1);
  }
}

const HOUR_MS = 3_600_000;

/** The hour of the day in UTC. */
export function hourOf(atUnixMs: number): number {
  return ((Math.floor(atUnixMs / HOUR_MS) % 24) + 24) % 24;
}
