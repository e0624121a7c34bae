import { TooLargeFileError, UnreadableFileError } from '@jadefence/files';
import { PROBLEMS, type Problem, type ProblemCode } from '@jadefence/contract';
import type { ErrorRequestHandler, Response } from 'express';
import type { Logger } from 'pino';
import { isCollision, isDiskFull, isUnreachable } from '../database/database.js';

/** A failure that is answered to the caller, with a code of the catalogue. */
export class ProblemError extends Error {
  constructor(
    readonly code: ProblemCode,
    detail: string,
    readonly extra: {
      readonly hint?: string;
      readonly errors?: Problem['errors'];
      /** Seconds after which it makes sense to try again. */
      readonly retryAfterSeconds?: number;
    } = {},
  ) {
    super(detail);
  }
}

const DATABASE_RETRY_SECONDS = 5;

export function sendProblem(response: Response, { code, message, extra: given }: ProblemError): void {
  const { status, title } = PROBLEMS[code];
  const { retryAfterSeconds, ...extra } = given;
  if (retryAfterSeconds !== undefined) response.setHeader('retry-after', String(retryAfterSeconds));
  const problem: Problem = {
    type: `https://jadefence.example/problems/${code}`,
    title,
    status,
    detail: message,
    code,
    ...extra,
  };
  response.status(status).type('application/problem+json').send(JSON.stringify(problem));
}

/** Turns any error into a problem; unexpected ones are logged, and answered without details. */
export function handleErrors(logger: Logger): ErrorRequestHandler {
  return (error: unknown, request, response, next) => {
    if (response.headersSent) return next(error);
    const problem = toProblem(error);
    if (problem.code === 'internal') logger.error({ err: error, url: request.originalUrl }, 'unforeseen error');
    sendProblem(response, problem);
  };
}

export function toProblem(error: unknown): ProblemError {
  if (error instanceof ProblemError) return error;
  if (error instanceof TooLargeFileError)
    return new ProblemError('too-large', `${error.message} Nothing of it is kept.`);
  if (error instanceof UnreadableFileError)
    return new ProblemError('upload-incomplete', `${error.message.replace(/\.$/, '')}; nothing of it is kept.`);
  const { type, message, status } = error as { type?: string; message?: string; status?: number };
  if (type === 'entity.too.large') return new ProblemError('too-large', 'The body is larger than the service takes.');
  if (type === 'request.aborted')
    return new ProblemError('upload-incomplete', 'The request ended before its body did.');
  if (type?.startsWith('charset') || type?.startsWith('encoding')) return new ProblemError('bad-body', `${message}.`);
  if (isDiskFull(error))
    return new ProblemError('disk-full', 'There is no room left on the disk; nothing of this was kept.', {
      hint: 'Make room on the disk of the service and of its database, then try again.',
    });
  if (isCollision(error))
    return new ProblemError('busy', 'Another user changed the same at this moment; nothing of this was kept.', {
      hint: 'Try again.',
      retryAfterSeconds: 1,
    });
  if (isUnreachable(error))
    return new ProblemError('database-unreachable', 'The service cannot reach its database.', {
      hint: 'Check that PostgreSQL runs and that JADEFENCE_DATABASE_URL is right.',
      retryAfterSeconds: DATABASE_RETRY_SECONDS,
    });
  // Of a body that does not match its Content-Encoding, and of what else a parser refuses.
  if (status === 404) return new ProblemError('not-found', 'There is no such file.');
  if (status !== undefined && status >= 400 && status < 500)
    return new ProblemError('bad-body', `The body cannot be read: ${message}.`);
  if (error instanceof URIError) return new ProblemError('bad-input', 'The address holds a broken escape.');
  return new ProblemError('internal', 'The service met an error that it did not foresee; its log has the details.');
}
