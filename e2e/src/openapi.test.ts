import { Ajv2020 } from 'ajv/dist/2020.js';
import formats from 'ajv-formats';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { CALLS, prepareService } from './api-calls.js';
import { startTestService, type TestService } from './service.js';

interface Description {
  readonly openapi: string;
  readonly paths: Readonly<Record<string, Readonly<Record<string, Operation>>>>;
  readonly components: { readonly schemas: Readonly<Record<string, object>> };
}
interface Operation {
  readonly operationId: string;
  readonly parameters: readonly { readonly name: string }[];
  readonly responses: Readonly<Record<string, { readonly content?: Readonly<Record<string, { schema: object }>> }>>;
}

let service: TestService;
let description: Description;
let token: string;
beforeAll(async () => {
  service = await startTestService();
  await prepareService(service.client);
  description = (await (await fetch(`${service.address}/api/v1/openapi.json`)).json()) as Description;
  token = (await service.client.createTokenFor({ name: 'reader', scope: 'administrator' })).token;
});
afterAll(() => service.stop());

/** The operation of a call, and a check of an answer with its status. */
function operationOf(method: string, path: string): Operation | undefined {
  const template = Object.keys(description.paths)
    .toSorted((a, b) => a.split('{').length - b.split('{').length)
    .find(
      (text) => new RegExp(`^${text.replaceAll(/\{\w+\}/g, '[^/]+')}$`).test(path) && description.paths[text]![method],
    );
  return template === undefined ? undefined : description.paths[template]![method];
}

describe('the description of the API', () => {
  it('is OpenAPI 3.1 whose references all lead somewhere and whose operations have distinct names', () => {
    expect(description.openapi).toBe('3.1.0');
    const references = [...JSON.stringify(description).matchAll(/"#\/components\/schemas\/([^"]+)"/g)];
    const names = new Set(Object.keys(description.components.schemas));
    expect(references.map(([, name]) => name!).filter((name) => !names.has(name))).toEqual([]);
    const ids = Object.values(description.paths).flatMap((path) => Object.values(path).map((item) => item.operationId));
    expect(ids.length).toBeGreaterThan(75);
    expect(new Set(ids).size).toBe(ids.length);
  });

  it('fits what the service answers to calls of the whole API', async () => {
    const ajv = new Ajv2020({ strict: false, allErrors: false, validateFormats: true });
    formats.default(ajv);
    ajv.addSchema({ $id: 'api', components: description.components });
    const resolve = (schema: object): object =>
      JSON.parse(JSON.stringify(schema).replaceAll('"#/components/', '"api#/components/')) as object;
    const reads = Object.entries(description.paths)
      .filter(
        ([path, { get }]) =>
          get && !path.includes('{') && get.parameters.every(({ name }) => !['value', 'from'].includes(name)),
      )
      // A stream of events has no end.
      .filter(([, { get }]) => !('text/event-stream' in (get!.responses['200']?.content ?? {})))
      .map(([path]) => ({ method: 'GET', path, query: undefined, body: undefined }));
    const checked: string[] = [];
    for (const { method, path, query, body } of [...reads, ...CALLS]) {
      if (path === '/reference') continue;
      const operation = operationOf(method.toLowerCase(), path);
      expect(operation, `${method} ${path}`).toBeDefined();
      const response = await fetch(`${service.address}/api/v1${path}${query ? `?${new URLSearchParams(query)}` : ''}`, {
        method,
        headers: {
          authorization: `Bearer ${token}`,
          ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        },
        ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      });
      const text = await response.text();
      const expected = operation!.responses[response.status] ?? operation!.responses['default']!;
      if (response.ok)
        expect(Object.keys(operation!.responses), `${method} ${path}`).toContain(String(response.status));
      const [content] = Object.values(expected.content ?? {});
      if (!content) {
        expect([method, path, text]).toEqual([method, path, '']);
        continue;
      }
      const isValid = ajv.compile(resolve(content.schema));
      isValid(JSON.parse(text));
      expect([method, path, response.status, isValid.errors]).toEqual([method, path, response.status, null]);
      if (response.ok) checked.push(`${method} ${path}`);
    }
    expect(checked.length).toBeGreaterThan(45);
  }, 120_000);

  it('is a page, too', async () => {
    const response = await fetch(`${service.address}/api/v1/reference`);
    expect(response.headers.get('content-type')).toContain('text/html');
    const page = await response.text();
    for (const path of Object.keys(description.paths)) expect(page).toContain(path);
  });
});
