import { expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { decide } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import { joinParts, splitIntoParts } from '../language/parts.js';
import { parseFences } from '../language/parser.js';
import { printFences } from '../language/printer.js';
import { normalizeRequest } from '../request/request.js';
import type { Configuration } from './configuration.js';
import { applyEdits } from './edit.js';
import { releaseClientEdits, stopClientEdits, stoppedClients, type ClientStop } from './stopped-clients.js';

const NOW = Date.UTC(2026, 9, 12, 10);
const TEXT = `
gate shop inbound { hosts shop.example fences desk otherwise allow }
gate bare inbound { hosts bare.example otherwise allow }
fence desk enforce { rule all allow outright when always }
`;
const start: Configuration = { parts: splitIntoParts([parseFences(TEXT, 'f.fence').file]), namedFiles: [] };
const stop = (configuration: Configuration, one: ClientStop, now = NOW): Configuration =>
  applyEdits(configuration, stopClientEdits(configuration, one, 'kari', now)).configuration;

function outcomeOf(configuration: Configuration, client: string, host: string, atUnixMs: number): string {
  const text = printFences(joinParts(configuration.parts, 'f.fence'));
  const { rulebook, diagnostics } = checkFences([{ path: 'f.fence', text }], []);
  expect(diagnostics).toEqual([]);
  const attributes = { 'client.address': client, 'http.request.header.host': [host], 'url.path': '/' };
  return decide({ rulebook: rulebook! }, normalizeRequest({ line: 1, atUnixMs, attributes }), new State()).outcome;
}

it('a stopped client is blocked at every gate before all else, until its time has passed or it is released', () => {
  const stopped = stop(start, { client: '198.18.9.200', for: '2h', reason: 'Guesses "passwords"' });
  const at = (now: number, client = '198.18.9.200') =>
    ['shop.example', 'bare.example'].map((host) => outcomeOf(stopped, client, host, now));
  expect(at(NOW)).toEqual(['blocked', 'blocked']);
  expect(at(NOW, '198.18.9.201')).toEqual(['allowed', 'allowed']);
  expect(at(NOW + 7_200_000)).toEqual(['allowed', 'allowed']);
  expect(stoppedClients(stopped, NOW)).toEqual([
    {
      client: '198.18.9.200',
      rule: 'stopped-clients/stop-198-18-9-200',
      untilUnixMs: NOW + 7_200_000,
      owner: 'kari',
      reason: 'Guesses "passwords"',
    },
  ]);
  expect(stoppedClients(stopped, NOW + 7_200_000)).toEqual([]);
  const released = applyEdits(stopped, releaseClientEdits(stopped, '198.18.9.200')).configuration;
  expect(outcomeOf(released, '198.18.9.200', 'shop.example', NOW)).toBe('allowed');
  expect(() => releaseClientEdits(released, '198.18.9.200')).toThrow('The client 198.18.9.200 is not stopped.');
});

it('a client is stopped once, what has passed is taken out, and names that would be the same differ', () => {
  const twice = stop(stop(start, { client: '198.18.9.200', for: '1h' }), { client: '198.18.9.200' });
  expect(stoppedClients(twice, NOW).map(({ untilUnixMs }) => untilUnixMs)).toEqual([undefined]);
  const later = stop(stop(start, { client: '198.18.9.200', for: '1h' }), { client: '2001:db8::1:2' }, NOW + 3_600_000);
  const both = stop(later, { client: '2001:db8:1::2' }, NOW + 3_600_000);
  expect(stoppedClients(both, 0).map(({ client, rule }) => [client, rule])).toEqual([
    ['2001:db8:1::2', 'stopped-clients/stop-2001-db8-1-2-2'],
    ['2001:db8::1:2', 'stopped-clients/stop-2001-db8-1-2'],
  ]);
});

it('a gate that was made since, and a fence that was put on trial, are corrected', () => {
  const trial = applyEdits(stop(start, { client: '198.18.9.200' }), [
    { kind: 'set-mode', fence: 'stopped-clients', mode: 'trial' },
    { kind: 'put', text: 'gate more inbound { hosts more.example otherwise allow }' },
  ]).configuration;
  const again = stop(trial, { client: '198.18.8.0/23' });
  expect(['198.18.9.200', '198.18.9.7'].map((client) => outcomeOf(again, client, 'more.example', NOW))).toEqual([
    'blocked',
    'blocked',
  ]);
  expect(stoppedClients(again, NOW).map(({ client }) => client)).toEqual(['198.18.8.0/23', '198.18.9.200']);
});

it.each([
  [{ client: 'shop.example' }, 'expected an address such as 198.18.9.200'],
  [{ client: '0.0.0.0/0' }, 'too wide'],
  [{ client: '198.18.0.0/15' }, 'at most /16'],
  [{ client: '198.18.9.200', for: 'soon' }, 'expected a duration such as 30m, 2h or 7d'],
])('%j is refused', (one, message) => {
  expect(() => stopClientEdits(start, one, 'kari', NOW)).toThrow(message);
});
