import { MessageChannel } from 'node:worker_threads';
import { Piscina } from 'piscina';
import type { Logger } from 'pino';
import type { Explanation } from '@jadefence/core/explain';
import type { GateCounts, SiteSections, Matches, Tally } from '@jadefence/core/replay';
import type { ChunkPayload } from './open-chunks.js';
import type { CountTask, countRows, MatchTask, GatePreviewTask } from './evaluation/count-task.js';
import type { ExplainTask } from './evaluation/explain-task.js';
import type { FilterChunksTask, FilterTask } from './evaluation/filter-task.js';
import type { DescribeTask, JudgeAnswer, JudgeTask } from './evaluation/judge-task.js';
import type { EvaluationInput } from './prepare-context.js';

/** What a pool does, wherever it is. */
export type Judging = Pick<JudgingPool, keyof JudgingPool>;

/** Worker threads that judge and filter chunks, started when there is something to do. */
export class JudgingPool {
  #started: Piscina | undefined;
  /** For rules that remember: one thread, which knows what the requests before left behind. */
  #ordered: Piscina | undefined;

  /** @param maxLimitKeys how many counters and holds the rules of a replay may keep alive at once */
  constructor(
    private readonly numThreads: number,
    private readonly maxLimitKeys: number,
    private readonly logger: Logger,
  ) {}

  /**
   * Judges rows of several chunks, one part after the other.
   * @param isLast the chunks are not needed after this, so that they are transferred, not copied
   * @returns undefined where dictionaries are missing that the thread had kept
   */
  async judge(
    task: Omit<JudgeTask, 'progress' | 'maxLimitKeys'>,
    onProgress: (numRowsDone: number) => void,
    isLast: boolean,
  ): Promise<JudgeAnswer | undefined> {
    const { port1, port2 } = new MessageChannel();
    port1.on('message', onProgress);
    const pool = this.#poolFor(task.past !== undefined);
    try {
      return (await pool.run(
        { ...task, progress: port2, maxLimitKeys: this.maxLimitKeys },
        { name: 'judgeChunks', transferList: isLast ? [port2, ...buffersOf(task)] : [port2] },
      )) as JudgeAnswer | undefined;
    } finally {
      port1.close();
    }
  }

  async describe(task: DescribeTask): Promise<Tally['by']> {
    return (await this.#pool().run(task, { name: 'describeRows' })) as Tally['by'];
  }

  /** @returns of each chunk the rows that match, ascending */
  async filter(task: FilterChunksTask): Promise<Uint32Array[]> {
    return (await this.#pool().run(task, { name: 'filterDecisions', transferList: buffersOf(task) })) as Uint32Array[];
  }

  /** @returns undefined for all */
  async filterAttributes(task: FilterTask): Promise<string[] | undefined> {
    return (await this.#pool().run(task, { name: 'filterAttributes' })) as string[] | undefined;
  }

  async explain(task: Omit<ExplainTask, 'maxLimitKeys'>): Promise<Explanation> {
    const whole: ExplainTask = { ...task, maxLimitKeys: this.maxLimitKeys };
    return (await this.#pool().run(whole, { name: 'explainRow' })) as Explanation;
  }

  /** @returns requests by country, of each chunk */
  async countCountries(task: EvaluationInput & ChunkPayload): Promise<Map<string, number>[]> {
    return (await this.#pool().run(task, { name: 'countChunkCountries', transferList: buffersOf(task) })) as Map<
      string,
      number
    >[];
  }

  async countryAttributes(source: EvaluationInput): Promise<string[]> {
    return (await this.#pool().run(source, { name: 'countryAttributes' })) as string[];
  }

  /** @returns the result of each chunk */
  async match(task: MatchTask & ChunkPayload): Promise<Matches[]> {
    return (await this.#pool().run(task, { name: 'matchChunks', transferList: buffersOf(task) })) as Matches[];
  }

  async matchAttributes(task: MatchTask): Promise<string[]> {
    return (await this.#pool().run(task, { name: 'matchAttributes' })) as string[];
  }

  /** @returns what a gate sees of each chunk */
  async previewGate(task: GatePreviewTask & ChunkPayload): Promise<GateCounts[]> {
    return (await this.#pool().run(task, { name: 'previewGate', transferList: buffersOf(task) })) as GateCounts[];
  }

  /** @returns hosts and sections of each chunk */
  async countSections(task: ChunkPayload & { readonly site?: string }): Promise<SiteSections[]> {
    return (await this.#pool().run(task, { name: 'countSections', transferList: buffersOf(task) })) as SiteSections[];
  }

  async gatePreviewAttributes(task: GatePreviewTask): Promise<string[]> {
    return (await this.#pool().run(task, { name: 'gatePreviewAttributes' })) as string[];
  }

  /** The attributes that a replay has to read. @param isStateful runs on the thread that will judge */
  async attributesRead(source: EvaluationInput, isStateful: boolean): Promise<string[]> {
    return (await this.#poolFor(isStateful).run(source, { name: 'attributesRead' })) as string[];
  }

  get size(): number {
    return this.numThreads;
  }

  async count(task: CountTask): Promise<ReturnType<typeof countRows>> {
    return (await this.#pool().run(task, { name: 'countRows' })) as ReturnType<typeof countRows>;
  }

  async close(): Promise<void> {
    await Promise.all([this.#started?.destroy(), this.#ordered?.destroy()]);
  }

  #poolFor(isStateful: boolean): Piscina {
    return isStateful ? (this.#ordered ??= this.#start(1)) : this.#pool();
  }

  #pool(): Piscina {
    return (this.#started ??= this.#start(this.numThreads));
  }

  #start(numThreads: number): Piscina {
    const pool = new Piscina({
      filename: new URL('./evaluation-worker.js', import.meta.url).href,
      minThreads: numThreads,
      maxThreads: numThreads,
    });
    // The waiting caller gets the error; without a listener the process would end with it.
    pool.on('error', (error) => this.logger.error({ err: error }, 'a thread that judges ended'));
    return pool;
  }
}

/** Those that hold one array, all of it. */
export function buffersOf({ chunks, dictionaries }: ChunkPayload): ArrayBuffer[] {
  const columns = chunks.flatMap((chunk) => [...chunk.columns.values()]);
  const parts = [...dictionaries.values()].flatMap((dictionaryParts) =>
    dictionaryParts.parts.map(([, bytes]) => bytes),
  );
  const whole = [...columns, ...parts].filter((array) => array.byteLength === array.buffer.byteLength);
  return whole.map((array) => array.buffer as ArrayBuffer);
}
