/** Runs in a worker thread: surveys a log while it comes in, so that the service goes on answering meanwhile. */
import { parentPort, workerData } from 'node:worker_threads';
import { ChunkRows, SegmentDictionaries, type EncodedChunk } from '@jadefence/core/columns';
import type { RejectedLine } from '@jadefence/core/request';
import { SurveyBuilder, type Survey } from '@jadefence/core/survey';
import { openReferenceData, type SharedReferenceData } from '../reference/shared-reference-data.js';

/** What comes next of a log, or its end. Each is answered, the end with the survey. */
export type SurveyPiece =
  { readonly rejected: readonly RejectedLine[]; readonly chunks: readonly EncodedChunk[] } | { readonly isEnd: true };
export type SurveyAnswer = Survey | undefined;

const port = parentPort!;
const builder = new SurveyBuilder(openReferenceData(workerData as SharedReferenceData).countries);
let dictionaries = new SegmentDictionaries();

function addChunk({ beginsSegment, dictionaries: parts, numRows, columns }: EncodedChunk): void {
  if (beginsSegment) dictionaries = new SegmentDictionaries();
  for (const [name, part] of parts) dictionaries.add(name, part);
  builder.addChunk(new ChunkRows(numRows, columns, dictionaries));
}

port.on('message', (piece: SurveyPiece) => {
  if ('isEnd' in piece) return port.postMessage(builder.finish() satisfies SurveyAnswer);
  for (const line of piece.rejected) builder.addRejected(line);
  piece.chunks.forEach(addChunk);
  port.postMessage(undefined satisfies SurveyAnswer);
});
