/** Runs in a worker thread: judges one chunk of a stored log. */
import { ChunkRows, checkFences, createCountryTable, parseCountryCsv, Replay, replayChunk, RulingTable, type Judge, type Ruling, type SourceFile, type Tally } from '@jadefence/core';
import type { MessagePort } from 'node:worker_threads';

export interface ChunkTask {
  /** Tells configurations apart, so that a worker prepares each once. */
  readonly judgeKey: string;
  readonly fenceFile: SourceFile;
  readonly listFiles: readonly SourceFile[];
  /** Shared, since a country table is large and every task needs it. */
  readonly countryCsv?: SharedArrayBuffer;
  readonly gate?: string;
  readonly numRows: number;
  readonly columns: ReadonlyMap<string, Uint8Array>;
  /** Hears the number of rows done, now and then. */
  readonly progress: MessagePort;
}

export interface ChunkAnswer {
  /** One code a row, an index into `rulings`. */
  readonly codes: Uint32Array;
  readonly rulings: readonly Ruling[];
  readonly tally: Tally;
}

let prepared: { key: string; judge: Judge } | undefined;

export default function judgeChunk(task: ChunkTask): ChunkAnswer {
  if (prepared?.key !== task.judgeKey) prepared = { key: task.judgeKey, judge: prepareJudge(task) };
  const replay = new Replay(prepared.judge);
  const table = new RulingTable();
  const codes = replayChunk(replay, new ChunkRows(task.numRows, task.columns), table, (numRowsDone) => task.progress.postMessage(numRowsDone));
  task.progress.close();
  return { codes, rulings: table.rulings, tally: replay.tally };
}

/** Everything a decision rests on, from its texts. @throws Error when the fences cannot judge, which a snapshot's always can */
export function prepareJudge({ fenceFile, listFiles, countryCsv, gate }: Pick<ChunkTask, 'fenceFile' | 'listFiles' | 'countryCsv' | 'gate'>): Judge {
  const { rulebook, diagnostics } = checkFences([fenceFile], listFiles);
  if (!rulebook) throw new Error(`Internal error: a pinned snapshot cannot judge: ${diagnostics[0]?.message}`);
  const text = countryCsv && new TextDecoder().decode(new Uint8Array(countryCsv).slice());
  return { rulebook, gate, countries: text === undefined ? undefined : createCountryTable(parseCountryCsv(text).ranges) };
}
