import type { EvaluationContext } from '@jadefence/core/decide';
import { TooManyKeysError } from '@jadefence/core/match';
import type { Tally } from '@jadefence/core/replay';
import { EXIT, Failure } from '../cli-error.js';
import { openLog } from '../files/open-log.js';
import { orFailLater, readingOf, type ReadingOptions } from '../files/reading.js';
import type { Streams } from '../output.js';
import type { DecidedFiles } from './decided-files.js';
import { LogJudge, startImport } from './judge-log.js';

/**
 * Judges files that are one log, for an answer that goes through them several times.
 * @param use has the decisions until it ends
 * @throws Failure where the files cannot be read, or keep more counters alive than there may be
 */
export async function withDecidedFiles<T>(
  paths: readonly string[],
  context: EvaluationContext,
  options: ReadingOptions,
  streams: Streams,
  use: (decided: DecidedFiles, tally: Tally) => Promise<T>,
): Promise<T> {
  const log = await openLog(paths, await readingOf(options), options.host !== undefined, streams);
  const imported = startImport(log);
  const judge = new LogJudge(context);
  let decided: DecidedFiles | undefined;
  try {
    await orFailLater(paths, async () => {
      decided = await judge.decide(
        imported,
        log.files.map(({ name }) => name),
      );
    });
    return await use(decided!, judge.tally);
  } catch (error) {
    if (!(error instanceof TooManyKeysError)) throw error;
    throw new Failure(error.message, EXIT.wrongInput, 'Count by fewer keys, or in shorter windows.');
  } finally {
    await imported.return(undefined);
    await decided?.remove();
  }
}
