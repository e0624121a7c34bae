/** The description of the API as one page of HTML, without scripts. */
import type { ApiDescription, Operation, Schema } from '../../http/openapi.js';

const METHODS = ['get', 'post', 'put', 'patch', 'delete'];
const STYLE = `
:root { color-scheme: light dark; font: 15px/1.5 system-ui, sans-serif }
body { margin: 0 auto; max-width: 62rem; padding: 1.5rem }
h1 { font-size: 1.5rem } h2 { margin-top: 2.5rem; font-size: 1.15rem; border-bottom: 1px solid #8884 }
details { border-bottom: 1px solid #8882; padding: .35rem 0 } summary { cursor: pointer }
code { font: 13px/1.5 ui-monospace, monospace } .method { display: inline-block; width: 4.5rem; font-weight: 600 }
.role { float: right; opacity: .7 } table { border-collapse: collapse; margin: .5rem 0 .5rem 1rem }
td, th { padding: .15rem .8rem .15rem 0; text-align: left; vertical-align: top } pre { overflow: auto; margin: .5rem 1rem }
`;

export function renderApiPage({ info, paths, components: { schemas } }: ApiDescription): string {
  const groups = new Map<string, string[]>();
  for (const [path, operations] of Object.entries(paths))
    for (const method of METHODS.filter((name) => operations[name])) {
      const noun = path.split('/')[1]!;
      groups.set(noun, [...(groups.get(noun) ?? []), renderOperation(method, path, operations[method]!)]);
    }
  const sections = [...groups].sort().map(([noun, rows]) => `<h2>${escapeHtml(noun)}</h2>${rows.join('')}`);
  const types = Object.entries(schemas)
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([name, schema]) => renderSchema(name, schema));
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Jade Fence API</title>
<meta name="viewport" content="width=device-width, initial-scale=1"><style>${STYLE}</style></head><body>
<h1>Jade Fence API ${escapeHtml(info.version)}</h1><p>${escapeHtml(info.description)} Paths are below <code>/api/v1</code>;
programs read <a href="openapi.json">openapi.json</a>.</p>
${sections.join('\n')}<h2>Types</h2>${types.join('\n')}</body></html>`;
}

function renderOperation(method: string, path: string, operation: Operation): string {
  const { summary, description, parameters, requestBody, responses } = operation;
  const rows = parameters.map(
    ({ name, in: place, required, schema }) =>
      `<tr><td><code>${escapeHtml(name)}</code></td><td>${place}${required ? '' : ', optional'}</td><td>${typeOf(schema)}</td></tr>`,
  );
  const body =
    requestBody && Object.entries(requestBody.content).map(([type, { schema }]) => `${typeOf(schema)} (${type})`);
  const answers = Object.entries(responses).map(([status, { content }]) => {
    const types = Object.values(content ?? {}).map(({ schema }) => typeOf(schema));
    return `<tr><th>${status}</th><td>${types.join(', ') || 'no content'}</td></tr>`;
  });
  return `<details><summary><span class="method">${method.toUpperCase()}</span><code>${escapeHtml(path)}</code> ${escapeHtml(summary)}
<span class="role">${escapeHtml(/role (\w+)/.exec(description ?? '')?.[1] ?? 'public')}</span></summary><table>${rows.join('')}${
    body ? `<tr><th>body</th><td colspan="2">${body.join(' or ')}</td></tr>` : ''
  }${answers.join('')}</table></details>`;
}

function renderSchema(name: string, schema: Schema): string {
  const text = JSON.stringify(schema, undefined, 2).replaceAll('#/components/schemas/', '');
  return `<details id="${name}"><summary><code>${name}</code></summary><pre><code>${escapeHtml(text)}</code></pre></details>`;
}

/** A type in a word, with a link to the schema that it refers to. */
function typeOf(schema: Schema): string {
  const { $ref, type, items, enum: values } = schema as Record<string, unknown>;
  if (typeof $ref === 'string') {
    const name = $ref.split('/').at(-1)!;
    return `<a href="#${name}"><code>${name}</code></a>`;
  }
  if (type === 'array') return `list of ${typeOf((items ?? {}) as Schema)}`;
  if (Array.isArray(values)) return values.map((value) => `<code>${escapeHtml(String(value))}</code>`).join(', ');
  return escapeHtml(typeof type === 'string' ? type : 'any');
}

function escapeHtml(text: string): string {
  return text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');
}
