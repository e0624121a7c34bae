/** The frozen policies and their reference data, and replays as the service runs them. */
import { deflateSync } from 'node:zlib';
import { checkFences } from '@jadefence/core/check';
import { COMMON_COLUMNS, type ChunkRows } from '@jadefence/core/columns';
import type { EvaluationContext } from '@jadefence/core/decide';
import { Program } from '@jadefence/core/match';
import { CategoryFeedReader, createCategories, createCountryTable } from '@jadefence/core/reference';
import { ChunkReplay } from '@jadefence/core/replay';
import { Stages } from '../measure.js';
import { frozenPolicy, frozenScenery, type PolicySize } from './pinned-workload.js';
import { readChunks, type StoredChunk } from './stored-log.js';

/** The reference data of the pinned policies. */
export function frozenWorld(): Pick<EvaluationContext, 'countries' | 'categories'> {
  const { countries, categories } = frozenScenery();
  const reader = new CategoryFeedReader();
  reader.push(new TextEncoder().encode(categories.map(([domain, category]) => `${domain},${category}\n`).join('')));
  return {
    categories: createCategories([reader.end('frozen').feed]),
    countries: createCountryTable(
      countries.map(({ first, last, country }) => ({
        family: 4 as const,
        first: BigInt(first),
        last: BigInt(last),
        country,
      })),
    ),
  };
}

export function frozenJudge(numRules: PolicySize, referenceData: ReturnType<typeof frozenWorld>): EvaluationContext {
  const { rulebook, diagnostics } = checkFences([{ path: 'frozen.fence', text: frozenPolicy(numRules).fences }], []);
  if (!rulebook) throw new Error(`The frozen policy cannot judge: ${diagnostics[0]?.message}`);
  return { rulebook, ...referenceData };
}

/** Judges chunks by rules that are compiled anew, and packs the decisions. */
export function replayChunks(context: EvaluationContext, chunks: Iterable<ChunkRows>, stages = new Stages()): void {
  const replay = new ChunkReplay(stages.time('compiling', () => new Program(context)));
  const reading = chunks[Symbol.iterator]();
  for (;;) {
    const next = stages.time('reading columns', () => reading.next());
    if (next.done) return;
    const { codes } = stages.time('judging', () => replay.judge([next.value]));
    stages.time('packing decisions', () => deflateSync(new Uint8Array(codes.buffer), { level: 1 }));
  }
}

/** Reads stored chunks, only the columns that the rules look at, judges them and packs the decisions. */
export function replayStored(context: EvaluationContext, stored: readonly StoredChunk[], stages?: Stages): void {
  const wanted = new Set([...new Program(context).attributes, ...COMMON_COLUMNS]);
  replayChunks(context, readChunks(stored, wanted), stages);
}
