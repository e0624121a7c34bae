import { UnreadableFileError } from '@jadefence/files';
import { PROBLEMS, type Problem, type ProblemCode } from '@jadefence/contract';
import type { ErrorRequestHandler, Response } from 'express';
import type { Logger } from 'pino';
import { isUnreachable } from '../database/database.js';

/** A failure that the caller is told about, by a code of the catalogue. */
export class ProblemError extends Error {
  constructor(
    readonly code: ProblemCode,
    detail: string,
    readonly extra: { readonly hint?: string; readonly errors?: Problem['errors'] } = {},
  ) {
    super(detail);
  }
}

export function sendProblem(response: Response, { code, message, extra }: ProblemError): void {
  const { status, title } = PROBLEMS[code];
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

/** Turns whatever was thrown into a problem; what we did not foresee is logged and told without its inside. */
export function handleErrors(logger: Logger): ErrorRequestHandler {
  return (error: unknown, request, response, next) => {
    if (response.headersSent) return next(error);
    const problem = toProblem(error);
    if (problem.code === 'internal') logger.error({ err: error, url: request.originalUrl }, 'unforeseen error');
    sendProblem(response, problem);
  };
}

function toProblem(error: unknown): ProblemError {
  if (error instanceof ProblemError) return error;
  if (error instanceof UnreadableFileError)
    return new ProblemError('upload-cut', `${error.message.replace(/\.$/, '')}; nothing of it is kept.`);
  const { type, message } = error as { type?: string; message?: string };
  if (type === 'entity.parse.failed') return new ProblemError('bad-body', `The body is not JSON: ${message}.`);
  if (type === 'entity.too.large') return new ProblemError('too-large', 'The body is larger than the service takes.');
  if (type === 'request.aborted') return new ProblemError('upload-cut', 'The request ended before its body did.');
  if (type?.startsWith('charset') || type?.startsWith('encoding')) return new ProblemError('bad-body', `${message}.`);
  if (isUnreachable(error))
    return new ProblemError('database-unreachable', 'The service cannot reach its database.', {
      hint: 'Check that PostgreSQL runs and that JADEFENCE_DATABASE_URL is right.',
    });
  if (error instanceof URIError) return new ProblemError('bad-input', 'The address holds a broken escape.');
  return new ProblemError('internal', 'The service met an error that it did not foresee; its log has the details.');
}
