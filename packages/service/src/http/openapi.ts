/** The description of the API (OpenAPI 3.1), made of the route table, the validated classes and the types of answers. */
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { PROBLEMS, VERSION } from '@jadefence/contract';
import { getMetadataStorage, ValidationTypes } from 'class-validator';
import { validationMetadatasToSchemas } from 'class-validator-jsonschema';
import type { Class } from './decode.js';
import type { Route } from './route.js';

/** Where class-transformer keeps the types of nested objects, which it does not export. */
const { defaultMetadataStorage } = createRequire(import.meta.url)('class-transformer/cjs/storage.js') as {
  readonly defaultMetadataStorage: never;
};

export type Schema = Readonly<Record<string, unknown>>;

/** One call of the API, as OpenAPI describes it. */
export interface Operation {
  readonly operationId: string;
  readonly summary: string;
  readonly description?: string;
  readonly security?: readonly object[];
  readonly parameters: readonly {
    readonly name: string;
    readonly in: 'path' | 'query';
    readonly required: boolean;
    readonly schema: Schema;
  }[];
  readonly requestBody?: { readonly required: boolean; readonly content: Content };
  readonly responses: Readonly<Record<string, { readonly description: string; readonly content?: Content }>>;
}
type Content = Readonly<Record<string, { readonly schema: Schema }>>;

export interface ApiDescription {
  readonly openapi: '3.1.0';
  readonly info: { readonly title: string; readonly version: string; readonly description: string };
  readonly servers: readonly { readonly url: string }[];
  readonly security: readonly object[];
  readonly paths: Readonly<Record<string, Readonly<Record<string, Operation>>>>;
  readonly components: { readonly schemas: Readonly<Record<string, Schema>>; readonly securitySchemes: object };
}

interface ObjectSchema {
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly required?: readonly string[];
}

const SCHEMAS = '#/components/schemas/';
const JSON_TYPE = 'application/json';

/**
 * @param routes the route table
 * @param answers the JSON Schemas of `Answers`, made by the build
 */
export function describeApi(routes: readonly Route[], answers: Readonly<Record<string, Schema>>): ApiDescription {
  const inputs = inputSchemas();
  const paths: Record<string, Record<string, Operation>> = {};
  for (const route of routes) {
    const path = route.path.replaceAll(/:(\w+)/g, '{$1}');
    (paths[path] ??= {})[route.method] = describeRoute(route, inputs);
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Jade Fence',
      version: VERSION,
      description: 'Access rules, replays of request logs, and explanations. Errors are problem details (RFC 9457).',
    },
    servers: [{ url: '/api/v1' }],
    security: [{ token: [] }, { session: [] }],
    paths,
    components: {
      schemas: { ...inputs, ...answers },
      securitySchemes: {
        token: { type: 'http', scheme: 'bearer' },
        session: { type: 'apiKey', in: 'cookie', name: 'jadefence' },
      },
    },
  };
}

/** The schemas of all classes that requests are checked against; keys that a class does not have are refused. */
function inputSchemas(): Record<string, Schema> {
  const schemas = validationMetadatasToSchemas({
    classValidatorMetadataStorage: getMetadataStorage(),
    classTransformerMetadataStorage: defaultMetadataStorage,
    refPointerPrefix: SCHEMAS,
    // What it allows depends on other properties, which a schema of one property cannot describe.
    additionalConverters: { [ValidationTypes.CUSTOM_VALIDATION]: () => ({}) },
  });
  return Object.fromEntries(
    Object.entries(schemas).map(([name, schema]) => [name, withPolicies(schema as ObjectSchema)]),
  );
}

/** The draft, or the number of a revision. */
const POLICY = { oneOf: [{ const: 'draft' }, { type: 'integer', minimum: 1 }] };
/** The properties that are policies, and whether they must be given; the validator checks only the numbers among them. */
const POLICIES: Readonly<Record<string, boolean>> = { against: false, before: true, after: true, from: true, to: true };

function withPolicies({ properties = {}, required = [], ...rest }: ObjectSchema): Schema {
  const policies = Object.keys(properties).filter((name) => Object.hasOwn(POLICIES, name));
  return {
    ...rest,
    properties: { ...properties, ...Object.fromEntries(policies.map((name) => [name, POLICY])) },
    required: [...required, ...policies.filter((name) => POLICIES[name])],
    additionalProperties: false,
  };
}

function describeRoute(route: Route, inputs: Readonly<Record<string, Schema>>): Operation {
  const { method, path, summary, access, params, query, body, takesUpload } = route;
  return {
    operationId: `${method}${path.replaceAll(/[/:-]+(\w)/g, (_, letter: string) => letter.toUpperCase())}`,
    summary,
    ...(access === 'public' ? { security: [] } : { description: `Requires the role ${access}.` }),
    parameters: [...parametersOf('path', params, inputs), ...parametersOf('query', query, inputs)],
    ...(body ? { requestBody: { required: true, content: { [JSON_TYPE]: { schema: refTo(body.name) } } } } : {}),
    ...(takesUpload ? { requestBody: UPLOAD } : {}),
    responses: responsesOf(route),
  };
}

const BYTES = { schema: { type: 'string', format: 'binary' } };
const UPLOAD = {
  required: true,
  content: {
    'application/octet-stream': BYTES,
    'multipart/form-data': { schema: { type: 'object', additionalProperties: { type: 'string', format: 'binary' } } },
  },
};

function parametersOf(
  place: 'path' | 'query',
  type: Class<object> | undefined,
  inputs: Readonly<Record<string, Schema>>,
): Operation['parameters'] {
  if (!type) return [];
  const { properties = {}, required = [] } = inputs[type.name] as ObjectSchema;
  const defaults = new type() as Record<string, unknown>;
  return Object.entries(properties).map(([name, schema]) => ({
    name,
    in: place,
    required: place === 'path' || (required.includes(name) && defaults[name] === undefined),
    schema: defaults[name] === undefined ? schema : { ...schema, default: defaults[name] },
  }));
}

function responsesOf({ answer, status = 200 }: Route): Operation['responses'] {
  const problem = {
    description: `A problem; its code is one of ${Object.keys(PROBLEMS).join(', ')}.`,
    content: { 'application/problem+json': { schema: refTo('Problem') } },
  };
  if (answer === undefined) return { 204: { description: 'Done.' }, default: problem };
  const name = answer.replace(/(\[\]|~)$/, '');
  const schema = answer.endsWith('[]') ? { type: 'array', items: refTo(name) } : refTo(name);
  const type = answer.endsWith('~') ? 'text/event-stream' : JSON_TYPE;
  return { [status]: { description: name, content: { [type]: { schema } } }, default: problem };
}

function refTo(name: string): Schema {
  return { $ref: `${SCHEMAS}${name}` };
}

/** The JSON Schemas of answers that the build made. */
export function readAnswerSchemas(): Readonly<Record<string, Schema>> {
  const path = new URL('../../dist/answer-schemas.json', import.meta.url);
  return JSON.parse(readFileSync(path, 'utf8')) as Record<string, Schema>;
}
