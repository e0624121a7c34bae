import type { MatchCount, MatchRequest } from '@jadefence/contract';
import { checkFences, collectRuleLookups, readRule, type ExternalNames, type SourceFile } from '@jadefence/core/check';
import type { StoredState } from '@jadefence/core/decide';
import {
  formatDiagnostic,
  joinParts,
  printField,
  printFences,
  visitComparisons,
  type Condition,
  type Diagnostic,
} from '@jadefence/core/language';
import { resolveRule, countsInOrder, type Matches } from '@jadefence/core/replay';
import pMap from 'p-map';
import { ProblemError } from '../../http/problem.js';
import type { Judging } from '../../threads/evaluation-pool.js';
import type { ChunkPayload } from '../../threads/open-chunks.js';
import type { CountTask, MatchTask } from '../../threads/evaluation/count-task.js';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';
import { usableRulebook } from '../draft/check.js';
import { checkStored, DRAFT_PATH } from '../draft/snapshots.js';
import type { Logs } from '../logs/logs.js';
import { shareDataset } from '../replays/context-store.js';
import type { Revisions } from '../revisions/revisions.js';

/** Counts, while a rule is edited, the requests of a log that satisfy its condition. */
export class MatchCounts {
  constructor(
    private readonly revisions: Revisions,
    private readonly logs: Logs,
    private readonly referenceSnapshots: ReferenceSnapshots,
    private readonly pool: Judging,
  ) {}

  /**
   * @param text a rule as fence text; it may name what the draft, or a revision that is given, holds
   * @param fence where given, only requests at the gates of this fence count
   * @param signal ends it
   * @throws ProblemError when there is no such log, or the rule or the draft has errors
   */
  async count(
    logId: number,
    { text, fence, against = 'draft' }: MatchRequest,
    signal?: AbortSignal,
  ): Promise<MatchCount> {
    const log = await this.logs.find(logId);
    const configuration = await this.revisions.configurationOf(against);
    const { parts, namedFiles, datasets = [] } = configuration;
    const draftText = printFences(joinParts(parts, DRAFT_PATH));
    const rulebook = usableRulebook(checkStored({ parts, namedFiles, datasets }));
    refuseErrors(draftText, text, namedFiles, {
      categories: await this.referenceSnapshots.categoryNames(),
      datasets: new Map(datasets.map((dataset) => [dataset.name, dataset])),
    });
    const gates = fence
      ? rulebook.gates
          .filter(({ fences }) => fences.some((fenceStatement) => fenceStatement.name === fence))
          .map(({ statement }) => statement.name)
      : undefined;
    const { shared } = await this.referenceSnapshots.loadCurrent();
    const source = {
      contextKey: JSON.stringify([
        against,
        'version' in configuration ? configuration.version : undefined,
        await this.referenceSnapshots.currentHash(),
        datasets.map((eachDataset) => eachDataset.sha256),
      ]),
      fenceFile: { path: DRAFT_PATH, text: draftText },
      namedFiles,
      datasets: datasets.map(shareDataset),
      referenceData: shared,
      rule: text,
      gates,
    };
    const matching = readRule(text);
    const requested = resolveRule(rulebook, matching, collectRuleLookups(matching, rulebook));
    const counts = !requested.tagging
      ? await this.#countInColumns(log.id, source, signal)
      : countsInOrder(requested)
        ? await this.#countInOrder(log.id, source, signal)
        : await this.#countAtOnce(log.id, source, signal);
    const count = addUp(counts);
    return {
      ...count,
      unseen: count.unknown > 0 ? await this.#unseen(log.id, source, matching.condition, signal) : [],
    };
  }

  /** Of how many requests each field of a condition is unknown, as the gates see them. */
  async #unseen(
    logId: number,
    source: CountSource,
    condition: Condition,
    signal?: AbortSignal,
  ): Promise<MatchCount['unseen']> {
    const unseen: { field: string; requests: number }[] = [];
    for (const field of fieldsToSee(condition)) {
      const rule = `rule ${AROUND} observe when ${field} present`;
      const { unknown } = addUp(await this.#countInColumns(logId, { ...source, rule }, signal));
      if (unknown > 0) unseen.push({ field, requests: unknown });
    }
    return unseen.sort((a, b) => b.requests - a.requests);
  }

  async #countInColumns(logId: number, source: MatchTask, signal?: AbortSignal): Promise<Matches[]> {
    const attributes = await this.pool.matchAttributes(source);
    return this.logs.mapChunks(logId, { attributes, numThreads: this.pool.size, signal }, (chunks) =>
      this.pool.match({ ...source, ...chunks }),
    );
  }

  /** Every request can be counted by itself, so all threads count at once, also where there is one chunk. */
  async #countAtOnce(logId: number, source: CountSource, signal?: AbortSignal): Promise<Matches[]> {
    const chunks = await this.logs.chunks(logId);
    const partsOfChunk = Math.max(1, Math.ceil(this.pool.size / chunks.length));
    const counts = await pMap(
      chunks,
      async ({ chunk, numRows }) => {
        const loaded = await this.logs.load(logId, [chunk]);
        const step = Math.ceil(numRows / partsOfChunk);
        const starts = Array.from({ length: partsOfChunk }, (_, part) => part * step).filter(
          (start) => start < numRows,
        );
        return Promise.all(
          starts.map((rowStart) =>
            this.pool.count({
              ...source,
              ...loaded,
              rowStart,
              rowEnd: Math.min(numRows, rowStart + step),
            }),
          ),
        );
      },
      { concurrency: this.pool.size, ...(signal ? { signal } : {}) },
    );
    return counts.flat().map(({ matches }) => matches);
  }

  /** Tags depend on requests before, so the log is gone through in the order of time. */
  async #countInOrder(logId: number, source: CountSource, signal?: AbortSignal): Promise<Matches[]> {
    const counts: Matches[] = [];
    let state: StoredState | undefined;
    for (const { chunks: numbers, sequence } of await this.logs.segments(logId)) {
      signal?.throwIfAborted();
      const loaded = await this.logs.load(logId, numbers);
      const counted = await this.pool.count({ ...source, ...loaded, sequence, state });
      state = counted.state;
      counts.push(counted.matches);
    }
    return counts;
  }
}

const MAX_FIELDS = 6;
/** Fields that are always known, or whose presence cannot be tested. */
const ALWAYS_SEEN: readonly string[] = ['country', 'server country', 'tag', 'gate', 'direction', 'application'];

/** The fields that a condition compares, as conditions write them; of a URL its path. */
function fieldsToSee(condition: Condition): string[] {
  const fields = new Set<string>();
  visitComparisons(condition, ({ field, parameter }) => {
    if (!ALWAYS_SEEN.includes(field)) fields.add(field === 'url' ? 'path' : printField(field, parameter));
  });
  return [...fields].slice(0, MAX_FIELDS);
}

type CountSource = Omit<CountTask, keyof ChunkPayload | 'sequence' | 'rowStart' | 'rowEnd' | 'state'>;

function addUp(counts: readonly Matches[]): Matches {
  const sum = (key: keyof Matches): number => counts.reduce((total, count) => total + count[key], 0);
  return { matching: sum('matching'), unknown: sum('unknown'), requests: sum('requests') };
}

/** A name that no one uses: 63 characters are taken. */
const AROUND = `count-${'x'.repeat(57)}`;

/** @throws ProblemError with every error of the rule, placed in its own text */
function refuseErrors(
  draftText: string,
  rule: string,
  namedFiles: readonly SourceFile[],
  outside: ExternalNames,
): void {
  const head = `${draftText}\nfence ${AROUND} trial {\n`;
  const numLines = head.split('\n').length - 1;
  const { diagnostics } = checkFences([{ path: DRAFT_PATH, text: `${head}${rule}\n}\n` }], namedFiles, outside);
  const errors = diagnostics
    .filter(({ place }) => place.line > numLines)
    .map((diagnostic): Diagnostic => ({
      ...diagnostic,
      place: { ...diagnostic.place, file: 'rule', line: diagnostic.place.line - numLines },
    }));
  if (errors.length > 0)
    throw new ProblemError('invalid-text', errors.map(formatDiagnostic).join('\n'), {
      errors: errors.map((error) => ({
        place: `${error.place.line}:${error.place.column}`,
        message: `${error.message}${error.hint ? ` ${error.hint}` : ''}`,
      })),
    });
}
