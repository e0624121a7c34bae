/** Gates: fence text to tree and back. */
import { parseEnding, printEnding } from './action-text.js';
import { parseCondition, parseValues, printCondition } from './condition-text.js';
import type { Cursor } from './cursor.js';
import { INSPECTION_FIELDS } from './fields.js';
import {
  DEFAULT_BLOCK_STATUS,
  PATH_FORMS,
  type GateStatement,
  type Inspection,
  type PathForm,
  type Value,
} from './tree.js';
import { printText, printValue } from './value.js';

const CLAUSES = ['hosts', 'clients', 'client', 'paths', 'inspect', 'fences', 'otherwise'] as const;
type Clause = (typeof CLAUSES)[number];

/** The clauses that only one direction has; the other has no use for them. */
const DIRECTION_OF: Partial<Record<Clause, GateStatement['direction']>> = {
  hosts: 'inbound',
  clients: 'outbound',
  inspect: 'outbound',
};

type Clauses = Partial<Omit<GateStatement, 'kind' | 'name' | 'direction' | 'comments' | 'place'>>;

export function parseGate(cursor: Cursor): Omit<GateStatement, 'kind' | 'comments' | 'place'> {
  const { name, place } = cursor.expectName('a gate');
  const direction = cursor.expectOneOf(['inbound', 'outbound'] as const, 'a direction');
  cursor.expect('{', 'before the clauses of the gate');
  const seen = new Set<Clause>();
  let clauses: Clauses = {};
  while (!cursor.sees('}')) {
    const clausePlace = cursor.token.place;
    const clause = cursor.expectOneOf(CLAUSES, 'a clause of the gate, or "}"');
    if (seen.has(clause))
      cursor.report(
        'duplicate-clause',
        `Found a second "${clause}" in gate ${name}, expected one.`,
        clausePlace,
        'Put both into one clause.',
      );
    const only = DIRECTION_OF[clause];
    if (only !== undefined && only !== direction)
      cursor.report(
        'misplaced-clause',
        `Found "${clause}" in the ${direction} gate ${name}; only ${only} gates have it.`,
        clausePlace,
        direction === 'inbound'
          ? 'An inbound gate is known by its hosts.'
          : 'An outbound gate is known by its clients.',
      );
    seen.add(clause);
    clauses = { ...clauses, ...parseClause(cursor, clause) };
  }
  cursor.next();
  for (const clause of [direction === 'inbound' ? 'hosts' : 'clients', 'otherwise'] as const) {
    if (!seen.has(clause))
      cursor.report('missing-clause', `Gate ${name} has no "${clause}" clause.`, place, MISSING_HINTS[clause]);
  }
  return {
    name,
    direction,
    hosts: [],
    clients: [],
    pathForms: [],
    fences: [],
    otherwise: { kind: 'block', status: DEFAULT_BLOCK_STATUS },
    ...clauses,
  };
}

const MISSING_HINTS = {
  hosts: 'Write the hosts that the gate protects.',
  clients: 'Write the clients that go out through the gate.',
  otherwise: 'Write what happens when no fence decides: otherwise allow, or otherwise block.',
};

function parseClause(cursor: Cursor, clause: Clause): Clauses {
  switch (clause) {
    case 'hosts':
      return { hosts: parseValues(cursor, { kind: 'domain', operator: 'in' }) };
    case 'clients':
      return { clients: parseAddresses(cursor) };
    case 'client':
      return { clientFrom: parseClientFrom(cursor) };
    case 'paths':
      return { pathForms: parsePathForms(cursor) };
    case 'inspect':
      return { inspection: parseInspection(cursor) };
    case 'fences':
      return { fences: cursor.expectNames('a fence') };
    case 'otherwise':
      return { otherwise: parseEnding(cursor) };
  }
}

function parseAddresses(cursor: Cursor): Value[] {
  return parseValues(cursor, { kind: 'address', operator: 'in' });
}

function parseClientFrom(cursor: Cursor): GateStatement['clientFrom'] {
  cursor.expect('from', 'after "client"');
  cursor.expect('header', 'after "from"');
  const { kind, text } = cursor.token;
  if ((kind !== 'bare' && kind !== 'quoted') || !/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(text))
    cursor.fail('unexpected', 'expected the name of a header such as x-forwarded-for');
  cursor.next();
  cursor.expect('trusting', 'and the addresses of the trusted proxies');
  return { header: text.toLowerCase(), trusting: parseAddresses(cursor) };
}

/** One to three words; what follows them begins the next clause. */
function parsePathForms(cursor: Cursor): PathForm[] {
  const forms = new Set([cursor.expectOneOf(PATH_FORMS, 'how the server reads paths')]);
  while (cursor.sees(...PATH_FORMS)) forms.add(cursor.expectOneOf(PATH_FORMS, 'how the server reads paths'));
  return PATH_FORMS.filter((form) => forms.has(form));
}

function parseInspection(cursor: Cursor): Inspection {
  cursor.expect('{', 'before the inspect rules');
  const rules: Inspection['rules'][number][] = [];
  while (!cursor.sees('otherwise')) {
    const word = cursor.expectOneOf(['inspect', 'exempt'] as const, 'an inspect rule, or "otherwise"');
    cursor.expect('when', 'and a condition');
    rules.push({ isInspected: word === 'inspect', condition: parseCondition(cursor, INSPECTION_FIELDS) });
  }
  cursor.next();
  const otherwise = cursor.expectOneOf(['inspect', 'exempt'] as const, 'what happens otherwise') === 'inspect';
  cursor.expect('}', 'after the inspect rules');
  return { rules, otherwise };
}

export function printGate(gate: GateStatement): string {
  const addresses = (values: readonly Value[]): string => values.map((value) => printValue(value)).join(', ');
  const { clientFrom, inspection } = gate;
  return [
    `gate ${gate.name} ${gate.direction} {`,
    ...(gate.hosts.length > 0 ? [`  hosts ${addresses(gate.hosts)}`] : []),
    ...(gate.clients.length > 0 ? [`  clients ${addresses(gate.clients)}`] : []),
    ...(clientFrom
      ? [`  client from header ${printText(clientFrom.header)} trusting ${addresses(clientFrom.trusting)}`]
      : []),
    ...(gate.pathForms.length > 0 ? [`  paths ${gate.pathForms.join(' ')}`] : []),
    ...(inspection ? printInspection(inspection) : []),
    ...(gate.fences.length > 0 ? [`  fences ${gate.fences.map((fence) => fence.name).join(', ')}`] : []),
    `  otherwise ${printEnding(gate.otherwise)}`,
    '}',
  ].join('\n');
}

function printInspection({ rules, otherwise }: Inspection): string[] {
  const word = (isInspected: boolean): string => (isInspected ? 'inspect' : 'exempt');
  return [
    '  inspect {',
    ...rules.map(({ isInspected, condition }) => `    ${word(isInspected)} when ${printCondition(condition)}`),
    `    otherwise ${word(otherwise)}`,
    '  }',
  ];
}
