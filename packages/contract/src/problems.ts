/**
 * Everything that can go wrong between a client and the service. `docs/errors.md` has a paragraph for each code, and a
 * test holds the two together.
 */
export const PROBLEMS = {
  'not-found': { status: 404, title: 'There is no such thing here' },
  'unauthenticated': { status: 401, title: 'Not signed in' },
  'invalid-credentials': { status: 401, title: 'The name or the password is wrong' },
  'not-permitted': { status: 403, title: 'Not permitted' },
  'masked': { status: 403, title: 'The answer names masked values' },
  'cross-origin-forbidden': { status: 403, title: 'The request comes from another site' },
  'bad-body': { status: 400, title: 'The request body cannot be read' },
  'bad-input': { status: 422, title: 'The input is not valid' },
  'bad-fences': { status: 422, title: 'The fences have errors' },
  'bad-reference-data': { status: 422, title: 'The reference data cannot be used' },
  'confirmation-required': { status: 409, title: 'The change is large and waits for a yes' },
  'dataset-in-use': { status: 409, title: 'The dataset is in use' },
  'not-repeatable': { status: 409, title: 'What the replay depends on is not here any more' },
  'refresh-failed': { status: 422, title: 'The refresh failed' },
  'unknown-format': { status: 422, title: 'The log has no known format' },
  'bad-layout': { status: 422, title: 'The options given for the log do not fit it' },
  'host-required': { status: 422, title: 'The log does not contain the requested host' },
  'no-valid-lines': { status: 422, title: 'No line of the log could be read' },
  'log-in-use': { status: 409, title: 'The log has replays' },
  'replay-in-use': { status: 409, title: 'The replay is running or part of a comparison' },
  'bad-filter': { status: 422, title: 'The filter cannot be used' },
  'bad-request': { status: 422, title: 'The synthetic request cannot be judged' },
  'duplicate-log': { status: 409, title: 'This log is already here' },
  'draft-invalid': { status: 409, title: 'The draft has errors and cannot judge' },
  'precondition-required': { status: 428, title: 'The write lacks the version that it is based on' },
  'changed-since': { status: 409, title: 'Another change came after it' },
  'nothing-to-undo': { status: 409, title: 'There is nothing to undo or redo' },
  'edit-conflict': { status: 412, title: 'Another user changed this meanwhile' },
  'unknown-part': { status: 404, title: 'The configuration has no such part' },
  'name-taken': { status: 409, title: 'The name is taken' },
  'part-in-use': { status: 409, title: 'It is used elsewhere' },
  'invalid-text': { status: 422, title: 'The text cannot be read' },
  'nothing-to-publish': { status: 409, title: 'Nothing differs from what is published' },
  'review-errors': { status: 409, title: 'The review finds errors' },
  'protected-stopped': { status: 409, title: 'Protected clients are stopped' },
  'expectations-not-met': { status: 409, title: 'Expectations are not met' },
  'replay-already-finished': { status: 409, title: 'The replay has ended' },
  'replay-not-done': { status: 409, title: 'The replay is not done yet' },
  'too-large': { status: 413, title: 'The request body is too large' },
  'upload-incomplete': { status: 400, title: 'The upload was cut off' },
  'too-many-attempts': { status: 429, title: 'Too many wrong sign-ins' },
  'busy': { status: 503, title: 'Too much is under way' },
  'too-slow': { status: 503, title: 'It takes too long' },
  'shutting-down': { status: 503, title: 'The service is stopping' },
  'disk-full': { status: 507, title: 'The disk is full' },
  'database-unreachable': { status: 503, title: 'The database cannot be reached' },
  'internal': { status: 500, title: 'Something broke inside the service' },
} as const satisfies Record<string, { status: number; title: string }>;
export type ProblemCode = keyof typeof PROBLEMS;

/** A failure as it travels (RFC 9457), with our code and, for input, every single error. */
export interface Problem {
  readonly type: string;
  readonly title: string;
  readonly status: number;
  readonly detail: string;
  readonly code: ProblemCode;
  /** The fix, as a full sentence. */
  readonly hint?: string;
  readonly errors?: readonly { readonly place: string; readonly message: string }[];
}

/** Why a call failed: an error of the service, or it could not be reached. */
export class ServiceError extends Error {
  constructor(
    message: string,
    /** Absent where the service could not be reached or did not answer as itself. */
    readonly problem?: Problem,
  ) {
    super(message);
  }
}
