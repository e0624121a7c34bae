import { expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { formatDiagnostic } from '../language/diagnostic.js';
import { requestOfApplication } from '../findings/application-request.js';
import { fillMatrix, labelOf, MatrixError, type MatrixRequest } from './matrix.js';
import { runExpectations } from './run-expectations.js';

const FENCES = `
list couriers addresses { 198.18.7.1 }
list office addresses { 198.18.4.0/30, couriers except 198.18.4.0 }
list visitors addresses { 198.18.4.1, 198.18.9.0/24 }
schedule nights { mon-sun 20:00-06:00 }
gate shop inbound { hosts shop.example fences desk otherwise allow }
fence desk enforce {
  rule kari allow outright when user = "kari"
  rule night block when path = /desk during nights
  rule desk block when path = /desk and client not in office
}
`;
const DAY = Date.UTC(2026, 9, 12, 10);
const NIGHT = Date.UTC(2026, 9, 12, 22);

function fill(request: Partial<MatrixRequest>, fences = FENCES) {
  const { rulebook, diagnostics } = checkFences([{ path: 'f.fence', text: fences }], []);
  expect(diagnostics.map(formatDiagnostic)).toEqual([]);
  const base = { clients: ['198.18.9.9'], to: ['shop.example/desk'], atUnixMs: [DAY] };
  return {
    rulebook: rulebook!,
    matrix: fillMatrix({ rulebook: rulebook! }, { ...base, ...request }, requestOfApplication),
  };
}

it('has each client at each destination and time, and what decided', () => {
  const { matrix } = fill({
    clients: ['visitors', 'kari@198.18.9.9'],
    to: ['shop.example/desk', 'http://shop.example/', 'else.example'],
    atUnixMs: [DAY, NIGHT],
  });
  expect(matrix.clients.map(labelOf)).toEqual(['198.18.4.1 (visitors)', '198.18.9.0 (visitors)', 'kari@198.18.9.9']);
  const shown = matrix.cells.map(({ client, to, at, outcome, rule = '' }) => `${client}${to}${at} ${outcome} ${rule}`);
  expect(shown).toEqual([
    '000 allowed ',
    '001 blocked night',
    '010 allowed ',
    '011 allowed ',
    '020 uncovered ',
    '021 uncovered ',
    '100 blocked desk',
    '101 blocked night',
    '110 allowed ',
    '111 allowed ',
    '120 uncovered ',
    '121 uncovered ',
    '200 allowed kari',
    '201 allowed kari',
    '210 allowed kari',
    '211 allowed kari',
    '220 uncovered ',
    '221 uncovered ',
  ]);
  expect(matrix.warnings).toEqual([
    'To http://shop.example/ none is stopped of these clients.',
    'From kari@198.18.9.9 nothing is stopped of these destinations.',
  ]);
});

it('takes members of a list and of lists in it, but for its exceptions', () => {
  expect(fill({ clients: ['office'] }).matrix.clients.map(({ client }) => client)).toEqual(['198.18.7.1']);
});

it('gives cells as expectations that are met', () => {
  const { matrix } = fill({ clients: ['visitors', 'kari@198.18.9.9'], atUnixMs: [DAY, NIGHT], method: 'POST' });
  const text = matrix.cells.map(({ expectation }) => expectation).join('\n');
  const { rulebook } = fill({}, `${FENCES}${text}\n`);
  const results = runExpectations({ rulebook });
  expect(results.map(({ failure }) => failure)).toEqual(matrix.cells.map(() => undefined));
});

it('has applications among the destinations', () => {
  const fences = `
application chat { over tls signature when host under chat.example and port = 8443 }
application cloud { signature when host ends .cloud.example and path under /sync }
gate wifi outbound { clients 198.18.0.0/15 fences desk otherwise allow }
fence desk enforce {
  rule no-shell block when application = ssh
  rule no-chat block when application = chat and user absent
}
`;
  const to = ['ssh', 'application chat', 'cloud', 'dns'];
  const { rulebook, matrix } = fill({ clients: ['198.18.9.9', 'kari@198.18.9.9'], to }, fences);
  expect(matrix.urls).toEqual([
    null,
    'https://chat.example:8443/',
    'https://other-host.example.cloud.example/sync',
    null,
  ]);
  expect(matrix.cells.map(({ rule = 'none' }) => rule)).toEqual([
    ...['no-shell', 'no-chat', 'none', 'none'],
    ...['no-shell', 'none', 'none', 'none'],
  ]);
  expect(rulebook.applications.length).toBeGreaterThan(2);
  expect(() => fill({ to: ['application chatt'] }, fences)).toThrow('There is no application "chatt".');
});

it.each<[Partial<MatrixRequest>, string]>([
  [{ clients: ['ofice'] }, 'Found "ofice", expected an address, user@address, or the name of a list of addresses.'],
  [{ to: ['ftp://shop.example'] }, 'expected a URL'],
  [{ atUnixMs: Array(10_001).fill(DAY) as number[] }, 'That is 10,001 cells'],
])('refuses what cannot be used: %#', (request, message) => {
  expect(() => fill(request)).toThrow(MatrixError);
  expect(() => fill(request)).toThrow(message);
});
