/** Runs in a worker thread that stays for the next log: imports and surveys one that is short enough to be sent whole. */
import { LogOptionsError } from '@jadefence/core/logs';
import { LogImporter } from '@jadefence/core/parse-logs';
import type { RejectedLine } from '@jadefence/core/request';
import type { Survey } from '@jadefence/core/survey';
import type { Imported, ImportTask } from '@jadefence/files';
import type { SharedReferenceData } from '../reference/shared-reference-data.js';
import { LogSurveyor } from './log-surveyor.js';

export interface ShortImportTask {
  readonly task: ImportTask;
  readonly bytes: Uint8Array;
  /** Whether the log ended too early, so that its last line may be half a line. */
  readonly isCut: boolean;
  /** Supplies the country table. */
  readonly referenceData: SharedReferenceData;
}

/** A failure is that of the options given for the log. */
export type ShortImportAnswer =
  | { readonly imported: Imported; readonly survey: Survey }
  | { readonly failure: { readonly message: string; readonly hint: string | undefined } };

export function importShort({ task, bytes, isCut, referenceData }: ShortImportTask): ShortImportAnswer {
  const rejected: RejectedLine[] = [];
  const surveyor = new LogSurveyor(referenceData);
  try {
    const importer = new LogImporter(task.format, task.options, (line) => rejected.push(line), task);
    const imported = { chunks: [...importer.push(bytes), ...importer.end(isCut)], rejected };
    surveyor.add(imported);
    return { imported, survey: surveyor.finish() };
  } catch (error) {
    if (!(error instanceof LogOptionsError)) throw error;
    return { failure: { message: error.message, hint: error.hint } };
  }
}
