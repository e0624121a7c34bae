/** More than this share of the requests without a host, and something is wrong with the log. */
const HOSTLESS_SHARE = 0.5;

/**
 * The notice for a log that names no host, since no gate covers its requests.
 * @returns undefined where most requests name one
 */
export function describeHostless(numHostless: number, numRequests: number): string | undefined {
  if (numHostless <= numRequests * HOSTLESS_SHARE) return undefined;
  const counts = `${numHostless.toLocaleString('en')} of ${numRequests.toLocaleString('en')} requests name no host`;
  return `${counts}, so no gate covers them. Import the log with its host, or choose the gate.`;
}
