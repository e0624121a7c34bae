/** Nothing that is sent to the API is an error of the service: it is done, or answered with a problem (RFC 9457). */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { CALLS, ODD_TEXTS, ODD_VALUES, prepareService, type Call } from './api-calls.js';
import { startTestService, type TestService } from './service.js';

let service: TestService;
beforeAll(async () => {
  service = await startTestService();
  await prepareService(service.client);
});
afterAll(() => service.stop());

/** The same value with one part of it exchanged, in every way there is. */
function* exchanged(value: unknown): Generator<unknown> {
  yield* ODD_VALUES;
  if (typeof value !== 'object' || value === null) return;
  for (const [key, part] of Object.entries(value))
    for (const odd of exchanged(part)) {
      const whole: Record<string, unknown> = { ...(value as Record<string, unknown>), [key]: odd };
      yield Array.isArray(value) ? Object.values(whole) : whole;
    }
}

function* oddCallsOf(good: Call): Generator<Call> {
  const parts = good.path.split('/');
  for (const [at, part] of parts.entries())
    if (/^\d+$/.test(part) || ['team', 'door', 'country', 'category'].includes(part))
      for (const odd of ODD_TEXTS.filter(Boolean))
        yield { ...good, path: parts.with(at, encodeURIComponent(odd)).join('/') };
  for (const key of Object.keys(good.query ?? {}))
    for (const odd of ODD_TEXTS) yield { ...good, query: { ...good.query, [key]: odd } };
  if (typeof good.body === 'object') for (const body of exchanged(good.body)) yield { ...good, body };
}

async function send({
  method,
  path,
  query,
  body,
}: Call): Promise<{ status: number; type: string | null; text: string }> {
  const address = `${service.address}/api/v1${path}${query ? `?${new URLSearchParams(query)}` : ''}`;
  const answer = await fetch(address, {
    method,
    headers: { 'authorization': `Bearer ${service.token}`, 'content-type': 'application/json', 'if-match': '*' },
    ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
  });
  return { status: answer.status, type: answer.headers.get('content-type'), text: await answer.text() };
}

describe('the API', () => {
  it.each(CALLS.map((call) => [`${call.method} ${call.path}`, call] as const))(
    '%s reports what is wrong with it, whatever it is',
    async (_, good) => {
      const failed: string[] = [];
      for (const odd of oddCallsOf(good)) {
        const { status, type, text } = await send(odd);
        const isShown = type?.startsWith('application/problem+json') === true && text.includes('"detail"');
        if (status >= 500 || (status >= 400 && !isShown))
          failed.push(`${status} ${JSON.stringify(odd).slice(0, 300)} ${text.slice(0, 200)}`);
      }
      expect(failed).toEqual([]);
    },
    60_000,
  );
});
