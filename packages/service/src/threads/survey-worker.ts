/** Runs in a worker thread: surveys a log while it comes in, so that the service goes on answering meanwhile. */
import { parentPort, workerData } from 'node:worker_threads';
import type { Survey } from '@jadefence/core/survey';
import type { Imported } from '@jadefence/files';
import type { SharedReferenceData } from '../reference/shared-reference-data.js';
import { LogSurveyor } from './log-surveyor.js';

/** What comes next of a log, or its end. Each is answered, the end with the survey. */
export type SurveyPiece = Imported | { readonly isEnd: true };
export type SurveyAnswer = Survey | undefined;

const port = parentPort!;
const surveyor = new LogSurveyor(workerData as SharedReferenceData);

port.on('message', (piece: SurveyPiece) => {
  if ('isEnd' in piece) return port.postMessage(surveyor.finish() satisfies SurveyAnswer);
  surveyor.add(piece);
  port.postMessage(undefined satisfies SurveyAnswer);
});
