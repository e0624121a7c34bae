/** Runs in a worker thread: judges one chunk of a stored log, or filters the decisions of one. */
import {
  checkFences,
  checkFilter,
  ChunkRows,
  createCountryTable,
  filterChunk,
  parseCountryCsv,
  Replay,
  replayChunk,
  RulingTable,
  type Judge,
  type Ruling,
  type SourceFile,
  type Tally,
} from '@jadefence/core';
import type { MessagePort } from 'node:worker_threads';

/** What decisions rest on, as texts that can be sent to a thread. */
export interface JudgeSource {
  /** Tells configurations apart, so that a worker prepares each once. */
  readonly judgeKey: string;
  readonly fenceFile: SourceFile;
  readonly namedFiles: readonly SourceFile[];
  /** Shared, since a country table is large and every task needs it. */
  readonly countryCsv?: SharedArrayBuffer;
  readonly gate?: string;
}

/** A chunk of a log. */
export interface ChunkSource {
  readonly numRows: number;
  readonly columns: ReadonlyMap<string, Uint8Array>;
}

export interface JudgeTask extends JudgeSource, ChunkSource {
  /** Hears the number of rows done, now and then. */
  readonly progress: MessagePort;
}

export interface JudgeAnswer {
  /** One code a row, an index into `rulings`. */
  readonly codes: Uint32Array;
  readonly rulings: readonly Ruling[];
  readonly tally: Tally;
}

export interface FilterTask extends JudgeSource, ChunkSource {
  readonly where: string;
  readonly codes: Uint32Array;
  readonly rulings: readonly Ruling[];
}

let prepared: { key: string; judge: Judge } | undefined;

function judgeFor(source: JudgeSource): Judge {
  if (prepared?.key !== source.judgeKey) prepared = { key: source.judgeKey, judge: prepareJudge(source) };
  return prepared.judge;
}

export function judgeChunk(task: JudgeTask): JudgeAnswer {
  const replay = new Replay(judgeFor(task));
  const table = new RulingTable();
  const codes = replayChunk(replay, new ChunkRows(task.numRows, task.columns), table, (numRowsDone) =>
    task.progress.postMessage(numRowsDone),
  );
  task.progress.close();
  return { codes, rulings: table.rulings, tally: replay.tally };
}

/** @returns the rows that match, ascending */
export function filterDecisions({ where, codes, rulings, ...task }: FilterTask): Uint32Array {
  const judge = judgeFor(task);
  const { filter } = checkFilter(where, judge.rulebook.lists);
  if (!filter) throw new Error(`Internal error: a filter that was checked cannot be asked: ${where}`);
  return filterChunk(filter, judge, new ChunkRows(task.numRows, task.columns), codes, rulings);
}

/** Everything a decision rests on, from its texts. @throws Error when the fences cannot judge, which a snapshot's always can */
export function prepareJudge({ fenceFile, namedFiles, countryCsv, gate }: Omit<JudgeSource, 'judgeKey'>): Judge {
  const { rulebook, diagnostics } = checkFences([fenceFile], namedFiles);
  if (!rulebook) throw new Error(`Internal error: a pinned snapshot cannot judge: ${diagnostics[0]?.message}`);
  const text = countryCsv && new TextDecoder().decode(new Uint8Array(countryCsv).slice());
  return {
    rulebook,
    gate,
    countries: text === undefined ? undefined : createCountryTable(parseCountryCsv(text).ranges),
  };
}
