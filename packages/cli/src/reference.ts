/** What the commands for reference data share: sending files, and reporting the result. */
import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { basename } from 'node:path';
import { Readable } from 'node:stream';
import type { DatasetEffect, DatasetInfo, DatasetOwner, FreshnessInfo, ServiceClient } from '@jadefence/contract';
import { decompress, packFiles, packFolder } from '@jadefence/files';
import { confirm } from './prompts.js';
import { EXIT, Failure } from './cli-error.js';
import { nameOfPath, logMessage, printRecord, type OneOutput, type Streams } from './output.js';
import { showProgress } from './progress.js';
import { formatCount } from './render/text.js';

export interface ImportOptions {
  readonly yes: boolean;
  readonly replay: boolean;
  readonly output: OneOutput;
}

/** What a dataset is called in sentences. */
export const NOUN_OF: Record<DatasetOwner, string> = {
  country: 'country table',
  category: 'category feed',
  list: 'dataset',
};

/** Sends files, or a folder, as one dataset, waits for its replay, and reports what it holds and changes. */
export async function importReference(
  client: ServiceClient,
  paths: readonly string[],
  query: Parameters<ServiceClient['importDataset']>[0],
  { yes, replay, output }: ImportOptions,
  streams: Streams,
): Promise<void> {
  const body = Readable.toWeb(Readable.from(await openAll(paths, NOUN_OF[query.kind], streams), { objectMode: false }));
  const sent = await client.importDataset({ ...query, confirm: yes, replay }, body as ReadableStream<Uint8Array>);
  await printDataset(client, sent, output, streams);
}

/** Of the names of hosts files. */
export function describeOwnNames(count: number): string {
  const names = `${formatCount(count)} ${count === 1 ? 'name' : 'names'}`;
  return `${names} without a dot, such as localhost, ${count === 1 ? 'is' : 'are'} left out.`;
}

/** Waits for the replay of a dataset and reports what it holds and changes, and whether it is active now. */
export async function printDataset(
  client: ServiceClient,
  sent: DatasetInfo,
  output: OneOutput,
  streams: Streams,
): Promise<void> {
  if (sent.state === 'checking') logMessage(streams, 'The latest log is replayed with it.');
  const dataset = await client.settleDataset(sent.id);
  for (const { file, line, message } of dataset.problems.slice(0, 10))
    logMessage(streams, `${[file, line > 0 ? `line ${line}` : undefined].filter(Boolean).join(' ')}: ${message}`);
  if (dataset.numRejected > 0)
    logMessage(
      streams,
      `${formatCount(dataset.numRejected)} ${dataset.numRejected === 1 ? 'line is' : 'lines are'} left out.`,
    );
  if (dataset.numOwnNames) logMessage(streams, describeOwnNames(dataset.numOwnNames));
  for (const [from, to] of Object.entries(dataset.renamed ?? {})) logMessage(streams, `"${from}" is called ${to} here`);
  const [one, many] = dataset.kind === 'country' ? ['range', 'ranges'] : ['entry', 'entries'];
  const entries = `${formatCount(dataset.numEntries)} ${dataset.numEntries === 1 ? one : many}`;
  const effect = dataset.effect ? ` ${describeEffect(dataset.effect)}` : '';
  const noun = NOUN_OF[dataset.kind];
  if (!dataset.isActive) {
    printRecord(
      streams,
      output,
      dataset,
      `Dataset ${dataset.id}, ${dataset.name} with ${entries}, waits for a yes.${effect}`,
    );
    throw new Failure(
      dataset.waitsFor ?? 'It is not active.',
      EXIT.checkFailed,
      `Use it anyway with: jadefence ${dataset.kind === 'list' ? 'dataset' : dataset.kind} use ${dataset.id} --yes`,
    );
  }
  printRecord(
    streams,
    output,
    dataset,
    `The ${noun} ${dataset.kind === 'country' ? 'is now ' : ''}${dataset.name} ${dataset.kind === 'country' ? 'with' : 'has'} ${entries}.${effect}`,
  );
}

/** How many decisions differ, as a sentence. */
export function describeEffect({
  logName,
  requests,
  changed,
  newlyStopped,
  newlyAllowed,
  replayId,
}: DatasetEffect): string {
  if (changed === 0) return `It changes none of the ${formatCount(requests)} decisions of ${logName}.`;
  return `It changes ${formatCount(changed)} of the ${formatCount(requests)} decisions of ${logName} (${formatCount(newlyStopped)} newly stopped, ${formatCount(newlyAllowed)} newly allowed; replay ${replayId}).`;
}

/** `--yes` or an answer, then the dataset becomes active. */
export async function activateDataset(
  client: ServiceClient,
  id: number,
  { yes, output }: { yes: boolean; output: OneOutput },
  streams: Streams,
): Promise<void> {
  const { waitsFor, name, kind } = await client.dataset(id);
  if (waitsFor !== null) await confirm(`${waitsFor} Use ${name} anyway?`, yes, streams);
  const dataset = await client.activateDataset(id, yes || waitsFor !== null);
  printRecord(streams, output, dataset, `The ${NOUN_OF[kind]} ${name} (dataset ${id}) is now the active one.`);
}

export function describeFreshness({ state, reason }: FreshnessInfo): string {
  return `${state}: ${reason}`;
}

/** A name for what is sent: that of the one file, or of the first and how many more. */
export function nameOfFiles(paths: readonly string[]): string {
  const [first] = paths.map((path) => basename(nameOfPath(path)));
  return paths.length > 1 ? `${first} and ${paths.length - 1} more` : first!;
}

/** @throws Failure naming the file that is not there */
async function openAll(paths: readonly string[], noun: string, streams: Streams): Promise<AsyncIterable<Uint8Array>> {
  const infos = await Promise.all(
    paths.map(async (path) => {
      if (path === '-') return undefined;
      return stat(path).catch((error: NodeJS.ErrnoException) => {
        throw new Failure(
          `The ${noun} "${path}" cannot be read (${error.code}).`,
          EXIT.wrongInput,
          'Give a file or a folder.',
        );
      });
    }),
  );
  const open = (index: number): AsyncIterable<Uint8Array> => {
    const path = paths[index]!;
    if (path === '-') return streams.stdin as AsyncIterable<Uint8Array>;
    return infos[index]!.isDirectory() ? packFolder(path) : (createReadStream(path) as AsyncIterable<Uint8Array>);
  };
  const size = infos.every((info) => info?.isFile()) ? infos.reduce((sum, info) => sum + info!.size, 0) : undefined;
  if (paths.length === 1) return showProgress(open(0), size, streams);
  if (infos.some((info) => info?.isDirectory()))
    throw new Failure('A folder is sent alone.', EXIT.wrongInput, 'Give one folder, or files.');
  // So that problems of a line name its file; a feed takes the category from the name of a file of an archive.
  if (noun !== NOUN_OF.category && !paths.includes('-')) return showProgress(packFiles(paths), size, streams);
  const joined = async function* (): AsyncGenerator<Uint8Array> {
    for (let index = 0; index < paths.length; index += 1) {
      yield* decompress(open(index));
      yield new Uint8Array([0x0a]);
    }
  };
  return showProgress(joined(), undefined, streams);
}
