import { expect, it } from 'vitest';
import type { ReplayResult } from '../replays.js';
import { drawMap } from './map.js';
import { renderReport } from './report.js';

const HOSTILE = '<script src="https://evil.example/x.js">"&';
const replay = {
  id: 7,
  name: HOSTILE,
  logName: HOSTILE,
  logSha256: 'a'.repeat(64),
  snapshot: 'b'.repeat(64),
  countryTable: { name: HOSTILE, sha256: 'c'.repeat(64) },
  categoryFeeds: [],
  numCorrections: 2,
  gate: null,
  revision: 3,
  folder: null,
  held: 'continue',
  summary: {
    requests: 1200,
    fromUnixMs: Date.UTC(2026, 9, 12),
    toUnixMs: Date.UTC(2026, 9, 13),
    outcomes: [
      { outcome: 'allowed', requests: 1000, share: 1000 / 1200 },
      { outcome: 'blocked', requests: 200, share: 200 / 1200 },
    ],
    fences: [
      {
        fence: 'desk',
        mode: 'enforce',
        gates: ['shop'],
        otherwise: 0,
        rules: [
          {
            rule: 'login',
            sentence: HOSTILE,
            state: 'trial',
            canStop: true,
            hits: 200,
            decided: 0,
            would: { blocked: 200 },
            blind: 0,
            evaluations: 0,
          },
        ],
      },
    ],
    breakdowns: [
      {
        by: 'client',
        numValues: 1,
        others: 0,
        values: [{ value: HOSTILE, requests: 1200, stopped: 200, outcomes: {} }],
      },
    ],
    numRejected: 1,
    rejected: [{ reason: 'shape', text: HOSTILE, lines: 1 }],
    firstRejected: [],
    gates: [],
    uncoveredHosts: [],
  },
  timeline: { stepMs: 900_000, steps: [{ fromUnixMs: Date.UTC(2026, 9, 12), outcomes: { allowed: 30, blocked: 10 } }] },
} as unknown as ReplayResult;

it('a report has its numbers and hashes, needs no network, and takes no text for markup', () => {
  const html = renderReport({
    replay,
    protectedStops: [],
    findings: [{ id: 'blind', level: 'warning', message: HOSTILE, hint: HOSTILE, evidence: [HOSTILE] }],
    changes: {
      from: 2,
      to: 3,
      changes: [{ kind: 'added', part: 'rule', name: 'x', summary: HOSTILE, details: [HOSTILE] }],
    },
    map: drawMap([
      { code: 'NO', requests: 900, stopped: 0 },
      { code: 'RO', requests: 100, stopped: 100 },
    ]),
    writtenAtUnixMs: Date.UTC(2026, 9, 14),
  });
  for (const text of [
    '1,200 requests judged by revision 3',
    'trial: would stop 200',
    '16.7%',
    'a'.repeat(64),
    'c'.repeat(64),
    'What revision 3 changed since revision 2',
    '<title>Norway: 900 requests, 0 stopped</title>',
    'class="shade2 some-stopped"',
  ])
    expect(html).toContain(text);
  expect(html).not.toMatch(/<script|<link|<img|url\(|@import/);
  // What is in quotes is text, and no attribute names an address.
  expect(html).not.toMatch(/(?:src|href)="/);
  expect(html.split('&lt;script').length).toBeGreaterThan(9);
});
