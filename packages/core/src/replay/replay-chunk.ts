/** Judges rows of stored chunks by a compiled program, and counts their outcomes. */
import type { ChunkRows } from '../columns/chunk.js';
import { Matcher, type PreparedChunk } from '../match/run/matcher.js';
import { CounterStore } from '../match/counters/counter-store.js';
import type { Program } from '../match/compile/program.js';
import { engineBounds } from '../bounds.js';
import type { Breakdown } from './breakdown.js';
import { RulingTable } from './ruling-table.js';
import { addThrottles, createTally, type Tally } from './tally.js';
import { TallyCounter } from './tally-counter.js';

/** Rows of several chunks in the order in which they are to be judged. */
export interface RowSequence {
  /** Index of the chunk of each row. */
  readonly chunkOf: Uint32Array;
  readonly rowOf: Uint32Array;
}

/** From when on, and before when; open where null. */
export interface TimeSpan {
  readonly fromUnixMs: number | null;
  readonly toUnixMs: number | null;
}

/** What was decided about some rows. */
export interface JudgedRows {
  /** One a row, in their order. */
  readonly codes: Uint32Array;
  readonly tally: Tally;
  /** Of each row whose ruling is delayed, in their order: one a rule that delays it, in milliseconds. */
  readonly waitsMs: readonly number[];
}

/** The code of rows that were not judged. */
export const NOT_JUDGED = 0xffff_ffff;

export function isInSpan({ fromUnixMs, toUnixMs }: TimeSpan, atUnixMs: number): boolean {
  return (fromUnixMs === null || atUnixMs >= fromUnixMs) && (toUnixMs === null || atUnixMs < toUnixMs);
}

/**
 * Judges those of some rows that lie in a span; the codes of the others are `NOT_JUDGED`.
 * @param sequence the order of the rows; without it all rows of the one chunk in their order
 */
export function judgeSpan(
  replay: ChunkReplay,
  chunks: readonly ChunkRows[],
  sequence: RowSequence | undefined,
  span: TimeSpan,
  progress?: (numRowsDone: number) => void,
): JudgedRows {
  if (span.fromUnixMs === null && span.toUnixMs === null) return replay.judge(chunks, sequence, progress);
  const times = chunks.map((rows) => rows.timesUnixMs());
  const numRows = sequence ? sequence.rowOf.length : chunks[0]!.numRows;
  const kept: number[] = [];
  for (let index = 0; index < numRows; index += 1) {
    const time = sequence ? times[sequence.chunkOf[index]!]![sequence.rowOf[index]!]! : times[0]![index]!;
    if (isInSpan(span, time)) kept.push(index);
  }
  const judged = replay.judge(
    chunks,
    {
      chunkOf: Uint32Array.from(kept, (index) => (sequence ? sequence.chunkOf[index]! : 0)),
      rowOf: Uint32Array.from(kept, (index) => (sequence ? sequence.rowOf[index]! : index)),
    },
    progress,
  );
  const codes = new Uint32Array(numRows).fill(NOT_JUDGED);
  kept.forEach((index, place) => (codes[index] = judged.codes[place]!));
  // Rows outside the span are not delayed, so that the waits are in the order of all rows, too.
  return { ...judged, codes };
}

/** One way through a log: chunks must come in the order of time where the rules remember. */
export class ChunkReplay {
  readonly #matcher: Matcher;
  readonly #bounds = engineBounds();

  /**
   * @param memory what requests before these left behind; brought up to date
   * @param table interns the decisions
   * @param breakdown counts by properties of the requests; the caller takes its counts
   */
  constructor(
    private readonly program: Program,
    readonly memory: CounterStore = new CounterStore(),
    readonly table: RulingTable = new RulingTable(),
    readonly breakdown?: Breakdown,
  ) {
    this.#matcher = new Matcher(program, memory);
  }

  /**
   * Judges rows of stored chunks.
   * @param sequence the order of the rows; without it all rows of the one chunk in their order
   * @param progress called now and then with the number of rows done
   * @returns one code a row, in the order of the sequence, and their tally
   * @throws TooManyKeysError when the rules keep more alive than the memory may
   */
  judge(
    chunks: readonly ChunkRows[],
    sequence?: RowSequence,
    progress: (numRowsDone: number) => void = () => undefined,
  ): JudgedRows {
    this.#matcher.evictIfFull();
    const waitsMs: number[] = [];
    const benches = chunks.map((rows) => this.#matcher.open(rows));
    const times = chunks.map((rows) => rows.timesUnixMs());
    const numRows = sequence ? sequence.rowOf.length : chunks[0]!.numRows;
    const codes = new Uint32Array(numRows);
    const atUnixMs = sequence ? new Float64Array(numRows) : times[0]!;
    const { progressRows } = this.#bounds;
    for (let start = 0; start < numRows; start += progressRows) {
      const end = Math.min(start + progressRows, numRows);
      if (sequence) this.#judgeSequence(benches, times, sequence, start, end, codes, atUnixMs, waitsMs);
      else this.#judgeRows(benches[0]!, times[0]!, start, end, codes, waitsMs);
      progress(end);
    }
    const tally = createTally();
    for (const [rule, times] of this.#matcher.takeEvaluations())
      tally.evaluations[rule] = (tally.evaluations[rule] ?? 0) + times;
    addThrottles(tally, this.#matcher.takeMetered());
    const counter = new TallyCounter(this.table.rulings, codes, atUnixMs);
    counter.addTo(tally, (index) => {
      const { reader } = benches[sequence ? sequence.chunkOf[index]! : 0]!;
      reader.row = sequence ? sequence.rowOf[index]! : index;
      return this.program.hostOf(reader);
    });
    for (const chunk of benches) this.#matcher.close(chunk);
    this.breakdown?.count(chunks, codes, this.table.rulings, atUnixMs, sequence);
    return { codes, tally, waitsMs };
  }

  #judgeRows(
    chunk: PreparedChunk,
    times: Float64Array,
    start: number,
    end: number,
    codes: Uint32Array,
    waitsMs: number[],
  ): void {
    for (let row = start; row < end; row += 1) {
      codes[row] = this.#matcher.judgeRow(chunk, row, times[row]!, this.table);
      this.#addWaits(waitsMs);
    }
  }

  #judgeSequence(
    benches: readonly PreparedChunk[],
    times: readonly Float64Array[],
    { chunkOf, rowOf }: RowSequence,
    start: number,
    end: number,
    codes: Uint32Array,
    atUnixMs: Float64Array,
    waitsMs: number[],
  ): void {
    for (let index = start; index < end; index += 1) {
      const chunk = chunkOf[index]!;
      const row = rowOf[index]!;
      atUnixMs[index] = times[chunk]![row]!;
      codes[index] = this.#matcher.judgeRow(benches[chunk]!, row, atUnixMs[index]!, this.table);
      this.#addWaits(waitsMs);
    }
  }

  /** Most rows have none, and are many. */
  #addWaits(waitsMs: number[]): void {
    const { waitsMs: added } = this.#matcher;
    for (let at = 0; at < added.length; at += 1) waitsMs.push(added[at]!);
  }
}
