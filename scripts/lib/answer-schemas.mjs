/** JSON Schemas of what the API answers, from the types of the contract, for the description that the service serves. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ROOT } from './run.mjs';

export async function writeAnswerSchemas() {
  const { createGenerator } = await import('ts-json-schema-generator');
  const schema = createGenerator({
    path: join(ROOT, 'packages/contract/src/answers.ts'),
    tsconfig: join(ROOT, 'tsconfig.json'),
    type: 'Answers',
    skipTypeCheck: true,
    additionalProperties: false,
    encodeRefs: false,
  }).createSchema('Answers');
  // Names of generic types are made fit for references.
  const nameOf = (name) => name.replaceAll(/\W+/g, '_').replace(/^_+|_+$/g, '');
  const renamed = Object.fromEntries(Object.entries(schema.definitions).map(([name, one]) => [nameOf(name), one]));
  const text = JSON.stringify(renamed).replaceAll(
    /"#\/definitions\/((?:[^"\\]|\\.)*)"/g,
    (_, name) => `"#/components/schemas/${nameOf(JSON.parse(`"${name}"`))}"`,
  );
  mkdirSync(join(ROOT, 'packages/service/dist'), { recursive: true });
  writeFileSync(join(ROOT, 'packages/service/dist/answer-schemas.json'), text);
}
