import type { Request } from 'express';
import { ProblemError } from './problem.js';

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
      'upload-cut',
      `The upload ended after ${numBytes} bytes before it was complete; nothing of it is kept.`,
    );
  }
  if (!request.complete)
    throw new ProblemError(
      'upload-cut',
      `The upload ended after ${numBytes} bytes before it was complete; nothing of it is kept.`,
    );
}
