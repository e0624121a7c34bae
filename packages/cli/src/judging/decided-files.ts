import type { EvaluationContext, Ruling } from '@jadefence/core/decide';
import { filesOfRows, openDelays, orderByTime, type Delays } from '@jadefence/core/replay';
import { headerNames, type DecidedChunk, type DecidedLog, type DecidedSegment } from '@jadefence/core/traffic';
import type { ChunkStore } from './chunk-store.js';

/** The decisions of all rows: by chunk the codes of its rows, and their rulings. */
export interface Judged {
  readonly codesOf: readonly Uint32Array[];
  /** As `flattenDelays` has them. */
  readonly waitsOf: readonly Float64Array[];
  readonly rulings: readonly Ruling[];
}

/** Files of which every request was decided, kept on disk until they are removed. */
export class DecidedFiles implements DecidedLog {
  readonly rulings: readonly Ruling[];

  /** @param names of the files, where the log has several */
  constructor(
    readonly context: EvaluationContext,
    private readonly store: ChunkStore,
    private readonly names: readonly string[],
    private readonly judged: Judged,
  ) {
    this.rulings = judged.rulings;
  }

  headers(): Promise<readonly string[]> {
    return Promise.resolve(headerNames(this.store.columnNames));
  }

  async *chunks(): AsyncGenerator<DecidedChunk & { readonly delays: Delays }> {
    for (const chunk of this.judged.codesOf.keys()) yield await this.#open(chunk);
  }

  async *segments(): AsyncGenerator<DecidedSegment> {
    const files: Uint32Array[] = [];
    if (this.names.length > 1)
      for (const chunk of this.judged.codesOf.keys()) files.push(filesOfRows(await this.store.rows(chunk), this.names));
    const segments = orderByTime(this.store.times, this.names.length > 1 ? files : undefined);
    for (const { chunks, sequence } of segments) {
      const opened: DecidedChunk[] = [];
      for (const chunk of chunks) opened.push(await this.#open(chunk));
      yield { chunks: opened, ...(sequence ? { sequence } : {}) };
    }
  }

  async #open(chunk: number): Promise<DecidedChunk & { readonly delays: Delays }> {
    const { codesOf, waitsOf, rulings } = this.judged;
    const codes = codesOf[chunk]!;
    const delays = openDelays(codes, waitsOf[chunk]!, rulings);
    return { chunk, rows: await this.store.rows(chunk), codes, delays };
  }

  remove(): Promise<void> {
    return this.store.remove();
  }
}
