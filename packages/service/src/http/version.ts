import { ProblemError } from './problem.js';
import type { RouteContext } from './route.js';

type Context = RouteContext<never, never, never>;

/** Answers what was requested with its version as an entity tag (RFC 9110, 8.8.3). */
export function setETag<T extends { readonly version: number }>(
  { setHeader }: Pick<Context, 'setHeader'>,
  answer: T,
): T {
  setHeader('etag', `"${answer.version}"`);
  return answer;
}

/** The version that a write is based on, from If-Match. @throws ProblemError if it has none */
export function expectedVersion({ ifMatch }: Pick<Context, 'ifMatch'>): number {
  const version = /^"(\d{1,9})"$/.exec(ifMatch ?? '')?.[1];
  if (version === undefined)
    throw new ProblemError(
      'precondition-required',
      'A write of the draft must carry the version it is based on (If-Match), so that nothing is overwritten unseen.',
      { hint: 'Send the entity tag of the draft as If-Match: "VERSION".' },
    );
  return Number(version);
}
