/** Runs in a thread: answers requests that may take long, with its own database connections. */
import { MessageChannel, parentPort, receiveMessageOnPort, workerData, type MessagePort } from 'node:worker_threads';
import type { Ruling } from '@jadefence/core/decide';
import { move, transferableSymbol, valueSymbol } from 'piscina';
import { loadAuditKey } from '../database/audit.js';
import { isUnreachable, openDatabase } from '../database/database.js';
import { openFeatures } from '../features.js';
import type { EvaluationPin } from '../features/replays/context-store.js';
import type { TableSource } from '../reference/datasets.js';
import { answerError, answerRequest, type RequestAnswer, type RequestTask } from '../http/answer.js';
import { Caller, packError, type Failure } from '../threads/calls.js';
import { buffersOf, type Judging } from '../threads/evaluation-pool.js';
import type { JobAdder } from '../jobs/job-queue.js';
import type { ChunkPayload } from '../threads/open-chunks.js';
import type { RequestThreadSetting } from './request-threads.js';

const { config, numJudging, maxConnections } = workerData as RequestThreadSetting;

// A database outage never ends a thread; the caller gets the error.
process.on('unhandledRejection', (error) => {
  if (!isUnreachable(error)) throw error;
});
process.on('uncaughtException', (error) => {
  if (!isUnreachable(error)) throw error;
});

const { port1, port2 } = new MessageChannel();
parentPort!.postMessage({ calls: port2 }, [port2]);
const caller = new Caller(port1);

/** Their payload is used once, so that it is transferred. */
const HANDED_OVER = ['filter', 'match', 'countCountries', 'previewGate', 'countSections'];

const db = openDatabase(config.databaseUrl, maxConnections);
const features = openFeatures({
  db,
  config,
  pool: caller.to<Judging>('pool', { size: numJudging }, (method, [task]) =>
    HANDED_OVER.includes(method) ? buffersOf(task as ChunkPayload) : [],
  ),
  queue: caller.to<JobAdder>('queue'),
  tables: caller.to<TableSource>('datasets'),
});
let auditKey: Promise<unknown> | undefined;

/** Jobs of the service itself. */
const JOBS = {
  judgeSource: (judged: EvaluationPin) => features.judges.source(judged),
  redirects: (judged: EvaluationPin, rulings: readonly Ruling[]) => features.judges.redirects(judged, rulings),
  canJudge: () => features.effectReplays.canJudge(),
  effectReplays: (datasetId: number) => features.effectReplays.create(datasetId),
  verifyTrail: () => features.trail.verifyNew(),
};
export type Job = keyof typeof JOBS;
export type JobArguments<N extends Job> = Parameters<(typeof JOBS)[N]>;
export type JobResult<N extends Job> = Awaited<ReturnType<(typeof JOBS)[N]>>;

/** @returns undefined if the caller has gone */
export async function answer({
  task,
  gone,
}: {
  readonly task: RequestTask;
  /** The port on which the caller's leaving is reported. */
  readonly gone: MessagePort;
}): Promise<RequestAnswer | undefined> {
  try {
    // It may have waited for a thread.
    if (receiveMessageOnPort(gone)) return undefined;
    await loadKey();
    const controller = new AbortController();
    gone.once('message', () => controller.abort());
    const definition = features.routes.find(({ method, path }) => method === task.method && path === task.path)!;
    return handOver(await answerRequest(definition, task, features.masking, controller.signal));
  } catch (error) {
    return answerError(error);
  } finally {
    gone.close();
  }
}

/** The body of an answer, which may be long, goes to the other thread without a copy. */
function handOver(answered: RequestAnswer | undefined): RequestAnswer | undefined {
  if (!answered || !('body' in answered) || !answered.body) return answered;
  const buffer = answered.body.buffer as ArrayBuffer;
  return move({ [transferableSymbol]: [buffer], [valueSymbol]: answered } as never) as unknown as RequestAnswer;
}

export async function runJob({ name, args }: { name: Job; args: unknown[] }): Promise<{ value: unknown } | Failure> {
  try {
    await loadKey();
    return { value: await (JOBS[name] as (...args: unknown[]) => Promise<unknown>)(...args) };
  } catch (error) {
    return packError(error);
  }
}

/** Changes are written to the audit trail, whose key is in a file. */
async function loadKey(): Promise<void> {
  auditKey ??= loadAuditKey(db, config.auditKeyFile);
  await auditKey.catch((error: unknown) => {
    auditKey = undefined;
    throw error;
  });
}
