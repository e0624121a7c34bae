import { ServiceClient, ServiceError, type ProblemCode } from '@jadefence/contract';

/** The service that this page came from; the session cookie signs in. */
export const service = new ServiceClient({ baseUrl: '' });

export function hasProblem(error: unknown, code: ProblemCode): boolean {
  return error instanceof ServiceError && error.problem?.code === code;
}
