import { parseFences } from '@jadefence/core/language';
import { parse } from 'yaml';

/** The keys of an application, each with the clause that it becomes. */
const CLAUSES: Readonly<Record<string, (value: unknown) => string[] | undefined>> = {
  category: word,
  risk: word,
  ports: list,
  needs: list,
  over: word,
  signatures: list,
};

/**
 * Reads a catalogue of applications from YAML 1.2 as fence text.
 *
 *     applications:
 *       - name: picture-archive
 *         title: Picture archive
 *         category: reference
 *         risk: low
 *         ports: [tcp/443]
 *         needs: [archive-sign-in]
 *         over: tls
 *         signatures:
 *           - host = pictures.openarchive.example
 *
 * @returns what is wrong, each naming its application; the text is then not to be used
 */
export function readApplicationCatalogue(yaml: string): { text: string; problems: string[] } {
  let catalogue: unknown;
  try {
    // What only might be wrong is no reason to write to the terminal.
    catalogue = parse(yaml, { logLevel: 'error' });
  } catch (error) {
    return { text: '', problems: [`it is no YAML: ${(error as Error).message.split('\n')[0]}`] };
  }
  const applications = (catalogue as { applications?: unknown } | null)?.applications;
  if (!Array.isArray(applications))
    return { text: '', problems: ['expected the key "applications" with a list of them'] };
  const read = applications.map((application: unknown, index) => readApplication(application, index + 1));
  return {
    text: `${read.map(({ text }) => text).join('\n\n')}\n`,
    problems: read.flatMap(({ problems }) => problems),
  };
}

function readApplication(value: unknown, number: number): { text: string; problems: string[] } {
  const { name, title, ...clauses } = (value ?? {}) as Readonly<Record<string, unknown>>;
  const called = `application ${number}${typeof name === 'string' ? ` (${name})` : ''}`;
  if (typeof name !== 'string') return { text: '', problems: [`${called}: expected the key "name" with a text`] };
  const problems: string[] = [];
  const lines: string[] = [];
  for (const [key, given] of Object.entries(clauses)) {
    const texts = CLAUSES[key]?.(given);
    if (!CLAUSES[key])
      problems.push(`${called}: no key is named "${key}"; expected ${Object.keys(CLAUSES).join(', ')}`);
    else if (texts?.length === 0) continue;
    else if (!texts) problems.push(`${called}: the key "${key}" is ${JSON.stringify(given)}, expected text`);
    else if (key === 'signatures') for (const text of texts) lines.push(`  signature when ${text}`);
    else lines.push(`  ${key} ${texts.join(', ')}`);
  }
  const head = `application ${name}${typeof title === 'string' ? ` ${JSON.stringify(title)}` : ''} {`;
  const text = [head, ...lines, '}'].join('\n');
  const { diagnostics } = parseFences(text, name);
  for (const { message, hint } of diagnostics) problems.push(`${called}: ${message}${hint ? ` ${hint}` : ''}`);
  return { text, problems };
}

function word(value: unknown): string[] | undefined {
  return typeof value === 'string' ? [value] : undefined;
}

function list(value: unknown): string[] | undefined {
  if (typeof value === 'string') return [value];
  return Array.isArray(value) && value.every((item) => typeof item === 'string') ? (value as string[]) : undefined;
}
