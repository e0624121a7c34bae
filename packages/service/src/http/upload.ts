import { createReadStream, createWriteStream } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import type { Readable } from 'node:stream';
import busboy from 'busboy';
import type { Request } from 'express';
import { makeTemporaryFolder } from '../temporary-folder.js';
import { ProblemError } from './problem.js';

/** A file of an upload. */
export interface UploadedFile {
  readonly name: string;
  readonly pieces: AsyncIterable<Uint8Array>;
}

const MAX_FILES = 100;

/**
 * The files of an upload: those of a form (RFC 7578), else its body, which has no name. Files of a form are
 * kept in a folder while they are used, since they are read side by side.
 * @throws ProblemError when there is more than allowed, or the client goes away before the end
 */
export async function withUploadedFiles<T>(
  request: Request,
  maxBytes: number,
  use: (files: readonly UploadedFile[]) => Promise<T>,
): Promise<T> {
  if (!request.is('multipart/form-data')) return use([{ name: '', pieces: readUpload(request, maxBytes) }]);
  const folder = await makeTemporaryFolder('upload');
  try {
    const names = await keepParts(request, maxBytes, folder);
    if (names.length === 0)
      throw new ProblemError('bad-body', 'The upload has no file.', {
        hint: 'Send each log as a part with a filename.',
      });
    return await use(
      names.map((name, index) => ({
        name,
        pieces: createReadStream(join(folder, `${index}`)) as AsyncIterable<Buffer>,
      })),
    );
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/** @returns the names of the files, which are kept under their numbers */
async function keepParts(request: Request, maxBytes: number, folder: string): Promise<string[]> {
  const names: string[] = [];
  const writing: Promise<void>[] = [];
  const keep = (_field: string, part: Readable, { filename }: { filename: string }): void => {
    const index = names.push(filename || `file ${names.length + 1}`) - 1;
    const written = pipeline(part, createWriteStream(join(folder, `${index}`)));
    // Its consumer handles a failure, which may occur before anybody waits.
    written.catch(() => undefined);
    writing.push(written);
  };
  try {
    const form = busboy({ headers: request.headers, limits: { files: MAX_FILES + 1 } });
    await pipeline(readUpload(request, maxBytes), form.on('file', keep));
  } catch (error) {
    if (error instanceof ProblemError) throw error;
    throw new ProblemError('bad-body', `The form cannot be read: ${(error as Error).message}.`);
  }
  await Promise.all(writing);
  if (names.length > MAX_FILES)
    throw new ProblemError('too-large', `The upload has more than ${MAX_FILES} files.`, {
      hint: 'Send them as several logs.',
    });
  const twice = names.find((name, index) => names.indexOf(name) !== index);
  if (twice !== undefined)
    throw new ProblemError('bad-body', `Two files of the upload are called "${twice}".`, {
      hint: 'Give each file a different name.',
    });
  return names;
}

/**
 * The bytes of a request's body as they arrive.
 * @throws ProblemError when there are more than allowed, or the client goes away before the end
 */
export async function* readUpload(request: Request, maxBytes: number): AsyncGenerator<Uint8Array> {
  let numBytes = 0;
  try {
    for await (const piece of request as AsyncIterable<Buffer>) {
      numBytes += piece.length;
      if (numBytes > maxBytes)
        throw new ProblemError('too-large', `The upload is larger than ${maxBytes} bytes.`, {
          hint: 'Split it, or raise JADEFENCE_MAX_UPLOAD_BYTES.',
        });
      yield piece;
    }
  } catch (error) {
    if (error instanceof ProblemError) throw error;
    throw new ProblemError(
      'upload-incomplete',
      `The upload ended after ${numBytes} bytes before it was complete; nothing of it is kept.`,
    );
  }
  if (!request.complete)
    throw new ProblemError(
      'upload-incomplete',
      `The upload ended after ${numBytes} bytes before it was complete; nothing of it is kept.`,
    );
}
