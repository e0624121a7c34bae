/** What decisions depend on, as it is sent to threads and opened there. */
import { checkFences, type SourceFile } from '@jadefence/core/check';
import type { EvaluationContext, HeldBehaviour } from '@jadefence/core/decide';
import { Dataset, type DatasetKind } from '@jadefence/core/reference';
import {
  openReferenceData,
  type SharedReferenceData,
  type PreparedReferenceData,
} from '../reference/shared-reference-data.js';

/** The entries of a list, in their stored form. */
export interface SharedDataset {
  readonly name: string;
  readonly kind: DatasetKind;
  readonly sha256: string;
  readonly buffer: SharedArrayBuffer;
}

/** What decisions depend on, in a form that can be sent to a thread. */
export interface EvaluationInput {
  /** Identifies a configuration, so that a worker prepares each once. */
  readonly contextKey: string;
  readonly fenceFile: SourceFile;
  readonly namedFiles: readonly SourceFile[];
  readonly datasets: readonly SharedDataset[];
  readonly referenceData: SharedReferenceData;
  readonly gate?: string;
  readonly held?: HeldBehaviour;
}

/**
 * Everything a decision depends on, from what can be sent. Categories are not checked here: what was published stays usable
 * when a feed loses one.
 * @param opened what is opened already, in the thread that keeps it
 * @throws Error when the fences cannot judge, which a snapshot's always can
 */
export function prepareContext(
  { fenceFile, namedFiles, datasets, referenceData: referenceData, gate, held }: Omit<EvaluationInput, 'contextKey'>,
  opened?: { readonly referenceData: PreparedReferenceData; readonly datasets?: readonly Dataset[] },
): EvaluationContext {
  const all =
    opened?.datasets ?? datasets.map(({ name, kind, buffer, sha256 }) => new Dataset(name, kind, buffer, sha256));
  const { rulebook, diagnostics } = checkFences([fenceFile], namedFiles, {
    datasets: new Map(all.map((dataset) => [dataset.name, dataset])),
    isPinned: true,
  });
  if (!rulebook) throw new Error(`Internal error: a pinned snapshot cannot judge: ${diagnostics[0]?.message}`);
  return { rulebook, gate, held, ...(opened?.referenceData ?? openReferenceData(referenceData)) };
}
