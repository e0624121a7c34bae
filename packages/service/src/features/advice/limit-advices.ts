import type { LimitAdviceRequest } from '@jadefence/contract';
import {
  ADVICE_PATH,
  adviseLimit,
  NoLimitError,
  PeakCounters,
  writeCountingRules,
  type CountingRules,
  type LimitAdvice,
  type LimitSubject,
} from '@jadefence/core/advice';
import { checkFences, type ExternalNames, type Rulebook } from '@jadefence/core/check';
import type { Configuration } from '@jadefence/core/edit';
import { formatDiagnostic, joinParts } from '@jadefence/core/language';
import { Program, TooManyKeysError } from '@jadefence/core/match';
import { ChunkReplay } from '@jadefence/core/replay';
import { ProblemError } from '../../http/problem.js';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';
import { DRAFT_PATH } from '../draft/snapshots.js';
import { ChunkSequence } from '../logs/chunk-sequence.js';
import type { Logs } from '../logs/logs.js';
import type { Revisions } from '../revisions/revisions.js';

/** Which count is right for a limit, from a log. */
export class LimitAdvices {
  constructor(
    private readonly revisions: Revisions,
    private readonly logs: Logs,
    private readonly referenceSnapshots: ReferenceSnapshots,
    private readonly maxKeys: number,
  ) {}

  /**
   * Goes through the log once, in the order of its time.
   * @throws ProblemError where there is no such log, rule or list, or the limit cannot be read
   */
  async advise(
    logId: number,
    { spare, share, counts, against = 'draft', ...rest }: LimitAdviceRequest,
    signal?: AbortSignal,
  ): Promise<LimitAdvice> {
    await this.logs.find(logId);
    const configuration = await this.revisions.configurationOf(against);
    const rules = this.#rules(configuration, subjectOf(rest), spare);
    const { datasets = [], namedFiles } = configuration;
    const rulebook = usable(rules, namedFiles, {
      categories: await this.referenceSnapshots.categoryNames(),
      datasets: new Map(datasets.map((dataset) => [dataset.name, dataset])),
    });
    const { referenceData } = await this.referenceSnapshots.loadCurrent();
    const program = new Program({ rulebook, ...referenceData });
    const followed = new Set([rules.counted, ...(rules.spared === undefined ? [] : [rules.spared])]);
    const counters = new PeakCounters(followed, this.maxKeys);
    const replay = new ChunkReplay(program, counters);
    let numUnknown = 0;
    try {
      const opened = new ChunkSequence(this.logs, logId, program.attributes);
      for (const { chunks, sequence } of await this.logs.segments(logId)) {
        signal?.throwIfAborted();
        const { tally } = replay.judge(await opened.open(chunks), sequence);
        numUnknown += tally.rules[rules.counted]?.blind ?? 0;
      }
    } catch (error) {
      if (!(error instanceof TooManyKeysError)) throw error;
      throw new ProblemError('invalid-text', error.message, { hint: 'Count by fewer keys, or a narrower condition.' });
    }
    return adviseLimit(counters, rules, numUnknown, { share, counts });
  }

  #rules({ parts }: Configuration, subject: LimitSubject, spare: string | undefined): CountingRules {
    try {
      return writeCountingRules(joinParts(parts, DRAFT_PATH).statements, subject, spare);
    } catch (error) {
      if (!(error instanceof NoLimitError)) throw error;
      throw new ProblemError('invalid-text', [error.message, ...error.diagnostics.map(formatDiagnostic)].join('\n'), {
        hint: error.hint,
      });
    }
  }
}

/** @throws ProblemError unless it is one of the two */
function subjectOf({ rule, by, within, when, gate }: LimitAdviceRequest): LimitSubject {
  if (rule !== undefined && by === undefined && within === undefined) return { rule };
  if (rule === undefined && by !== undefined && within !== undefined)
    return { by, within, ...(when === undefined ? {} : { when }), ...(gate === undefined ? {} : { gate }) };
  throw new ProblemError('bad-input', 'Give a rule that limits, or keys and a window.', {
    hint: 'As {"rule": "fence/name"}, or {"by": "client", "within": "5m"}.',
  });
}

function usable(rules: CountingRules, namedFiles: Configuration['namedFiles'], outside: ExternalNames): Rulebook {
  const { rulebook, diagnostics } = checkFences([{ path: ADVICE_PATH, text: rules.text }], namedFiles, outside);
  if (rulebook && rulebook.gates.length > 0) return rulebook;
  throw new ProblemError(
    'invalid-text',
    diagnostics.length === 0
      ? 'There is no gate, so no request is counted.'
      : diagnostics.map(formatDiagnostic).join('\n'),
    { hint: 'Correct the condition, or the name of the list to spare.' },
  );
}
