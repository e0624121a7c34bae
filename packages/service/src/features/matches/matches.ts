import type { MatchCount } from '@jadefence/contract';
import {
  checkFences,
  formatDiagnostic,
  joinParts,
  printFences,
  type Diagnostic,
  type Outside,
  type SourceFile,
} from '@jadefence/core';
import { ProblemError } from '../../http/problem.js';
import type { JudgingPool } from '../../work/judging-pool.js';
import type { Worlds } from '../reference/worlds.js';
import { usableRulebook } from '../draft/check.js';
import type { Drafts } from '../draft/draft.js';
import { checkStored, DRAFT_PATH } from '../draft/snapshots.js';
import type { Logs } from '../logs/logs.js';
import { shareDataset } from '../replays/judges.js';

/** Counts, while somebody writes a rule, the requests of a log that its condition is true of. */
export class MatchCounts {
  constructor(
    private readonly drafts: Drafts,
    private readonly logs: Logs,
    private readonly worlds: Worlds,
    private readonly pool: JudgingPool,
  ) {}

  /**
   * @param text a rule as fence text; it may name what the draft holds
   * @param fence where given, only requests at the gates of this fence count
   * @throws ProblemError when there is no such log, or the rule or the draft has errors
   */
  async count(logId: number, { text, fence }: { text: string; fence?: string }): Promise<MatchCount> {
    const log = await this.logs.find(logId);
    const { parts, namedFiles, datasets = [], version } = await this.drafts.configuration();
    const draftText = printFences(joinParts(parts, DRAFT_PATH));
    const rulebook = usableRulebook(checkStored({ parts, namedFiles, datasets }));
    refuseErrors(draftText, text, namedFiles, {
      categories: await this.worlds.categoryNames(),
      datasets: new Map(datasets.map((dataset) => [dataset.name, dataset])),
    });
    const gates = fence
      ? rulebook.gates
          .filter(({ fences }) => fences.some((one) => one.name === fence))
          .map(({ statement }) => statement.name)
      : undefined;
    const { shared } = await this.worlds.loadCurrent();
    const source = {
      judgeKey: JSON.stringify(['draft', version, await this.worlds.currentHash(), datasets.map((one) => one.sha256)]),
      fenceFile: { path: DRAFT_PATH, text: draftText },
      namedFiles,
      datasets: datasets.map(shareDataset),
      world: shared,
      rule: text,
      gates,
    };
    const chunks = await this.logs.chunks(log.id);
    const counts = await Promise.all(
      chunks.map(async ({ chunk, numRows }) =>
        this.pool.count({ ...source, numRows, columns: await this.logs.columns(log.id, chunk) }),
      ),
    );
    const sum = (key: keyof MatchCount): number => counts.reduce((total, count) => total + count[key], 0);
    return { matching: sum('matching'), unknown: sum('unknown'), requests: sum('requests') };
  }
}

/** A name that nobody has: 63 characters are taken. */
const AROUND = `count-${'x'.repeat(57)}`;

/** @throws ProblemError with every error of the rule, placed in its own text */
function refuseErrors(draftText: string, rule: string, namedFiles: readonly SourceFile[], outside: Outside): void {
  const head = `${draftText}\nfence ${AROUND} trial {\n`;
  const numLines = head.split('\n').length - 1;
  const { diagnostics } = checkFences([{ path: DRAFT_PATH, text: `${head}${rule}\n}\n` }], namedFiles, outside);
  const errors = diagnostics
    .filter(({ place }) => place.line > numLines)
    .map((one): Diagnostic => ({ ...one, place: { ...one.place, file: 'rule', line: one.place.line - numLines } }));
  if (errors.length > 0)
    throw new ProblemError('bad-text', errors.map(formatDiagnostic).join('\n'), {
      errors: errors.map((one) => ({
        place: `${one.place.line}:${one.place.column}`,
        message: `${one.message}${one.hint ? ` ${one.hint}` : ''}`,
      })),
    });
}
