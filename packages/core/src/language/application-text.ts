/** Applications: fence text to tree and back. */
import { parseCondition, printCondition } from './condition-text.js';
import type { Cursor } from './cursor.js';
import { SIGNATURE_FIELDS } from './fields.js';
import { printTitle } from './layout.js';
import { RISKS, type ApplicationStatement, type Condition, type Reference } from './tree.js';

const CLAUSES = ['category', 'risk', 'ports', 'needs', 'over', 'signature'] as const;

type Body = Omit<ApplicationStatement, 'kind' | 'comments' | 'place'>;

/** Clauses in any order, once each but for `signature`. */
export function parseApplication(cursor: Cursor): Body {
  const { name } = cursor.expectName('an application');
  const title = cursor.acceptTitle();
  cursor.expect('{', 'before the clauses of the application');
  const seen = new Set<string>();
  const signatures: Condition[] = [];
  let clauses: Partial<Body> = {};
  while (!cursor.sees('}')) {
    const { place } = cursor.token;
    const clause = cursor.expectOneOf(CLAUSES, 'a clause of the application, or "}"');
    if (seen.has(clause) && clause !== 'signature')
      cursor.report('duplicate-clause', `Found a second "${clause}" in application ${name}, expected one.`, place);
    seen.add(clause);
    if (clause === 'signature') {
      cursor.expect('when', 'and a condition');
      signatures.push(parseCondition(cursor, SIGNATURE_FIELDS));
    } else {
      clauses = { ...clauses, ...parseClause(cursor, clause) };
    }
  }
  cursor.next();
  return { name, ...(title === undefined ? {} : { title }), ports: [], needs: [], ...clauses, signatures };
}

function parseClause(cursor: Cursor, clause: Exclude<(typeof CLAUSES)[number], 'signature'>): Partial<Body> {
  switch (clause) {
    case 'category':
      return { category: cursor.expectName('a category').name };
    case 'risk':
      return { risk: cursor.expectOneOf(RISKS, 'a risk') };
    case 'ports':
      return { ports: parsePorts(cursor) };
    case 'needs':
      return { needs: cursor.expectNames('an application') };
    case 'over':
      return { over: cursor.expectName('an application') };
  }
}

function parsePorts(cursor: Cursor): Body['ports'] {
  const ports: Body['ports'][number][] = [];
  do {
    const match = /^(tcp|udp)\/([1-9]\d{0,4})$/.exec(cursor.token.text);
    if (!match || Number(match[2]) > 65_535) cursor.fail('bad-value', 'expected a port such as tcp/443');
    cursor.next();
    ports.push({ transport: match[1] as 'tcp' | 'udp', port: Number(match[2]) });
  } while (cursor.accept(','));
  return ports;
}

export function printApplication(application: ApplicationStatement): string {
  const { name, title, category, risk, ports, needs, over, signatures } = application;
  const names = (references: readonly Reference[]): string => references.map((reference) => reference.name).join(', ');
  return [
    `application ${name}${printTitle(title)} {`,
    ...(category === undefined ? [] : [`  category ${category}`]),
    ...(risk === undefined ? [] : [`  risk ${risk}`]),
    ...(ports.length > 0 ? [`  ports ${ports.map(({ transport, port }) => `${transport}/${port}`).join(', ')}`] : []),
    ...(needs.length > 0 ? [`  needs ${names(needs)}`] : []),
    ...(over ? [`  over ${over.name}`] : []),
    ...signatures.map((condition) => `  signature when ${printCondition(condition)}`),
    '}',
  ].join('\n');
}
