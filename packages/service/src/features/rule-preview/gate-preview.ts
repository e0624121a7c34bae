import type { GatePreview, GatePreviewRequest } from '@jadefence/contract';
import { applyEdits, readGate } from '@jadefence/core/edit';
import { joinParts, printFences } from '@jadefence/core/language';
import { addGatePreviews } from '@jadefence/core/replay';
import { ProblemError } from '../../http/problem.js';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';
import type { Judging } from '../../threads/evaluation-pool.js';
import { toProblem, usableRulebook } from '../draft/check.js';
import type { Drafts } from '../draft/draft.js';
import { checkStored, DRAFT_PATH } from '../draft/snapshots.js';
import type { Logs } from '../logs/logs.js';
import { shareDataset } from '../replays/context-store.js';

/** Counts, while a gate is edited, what it would see of a log. */
export class GatePreviews {
  constructor(
    private readonly drafts: Drafts,
    private readonly logs: Logs,
    private readonly referenceSnapshots: ReferenceSnapshots,
    private readonly pool: Judging,
  ) {}

  /**
   * @param text the gate as fence text; it replaces the gate of its name in the draft, which is not changed
   * @throws ProblemError when there is no such log, or the gate or the draft has errors
   */
  async count(logId: number, { text }: GatePreviewRequest, signal?: AbortSignal): Promise<GatePreview> {
    const log = await this.logs.find(logId);
    const name = readGate(text)?.name;
    if (name === undefined)
      throw new ProblemError('invalid-text', 'The text is no gate.', { hint: 'Expected: gate NAME inbound { ... }' });
    const before = await this.drafts.configuration();
    const edited = toProblem(() => applyEdits(before, [{ kind: 'put', text, part: 'gate' }]));
    const { parts, namedFiles, datasets = [] } = edited.configuration;
    usableRulebook(checkStored({ parts, namedFiles, datasets }));
    const fenceText = printFences(joinParts(parts, DRAFT_PATH));
    const { shared } = await this.referenceSnapshots.loadCurrent();
    const source = {
      contextKey: JSON.stringify([
        fenceText,
        await this.referenceSnapshots.currentHash(),
        datasets.map((dataset) => dataset.sha256),
      ]),
      fenceFile: { path: DRAFT_PATH, text: fenceText },
      namedFiles,
      datasets: datasets.map(shareDataset),
      referenceData: shared,
      gate: name,
    };
    const attributes = await this.pool.gatePreviewAttributes(source);
    const counts = await this.logs.mapChunks(
      log.id,
      { attributes, numThreads: this.pool.size, ...(signal ? { signal } : {}) },
      (chunks) => this.pool.previewGate({ ...source, ...chunks }),
    );
    return { gate: name, ...addGatePreviews(counts) };
  }
}
