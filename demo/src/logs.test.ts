import { describe, expect, it } from 'vitest';
import { EVENTS, generateInboundLog } from './inbound-log.js';
import { generateOutboundLog, OUTBOUND_EVENTS } from './outbound-log.js';

const SIZE = { requests: 4000, seed: 7 };
const LOGS = {
  inbound: () => [...generateInboundLog(SIZE)],
  outbound: () => [...generateOutboundLog(SIZE)],
};

describe.each(['inbound', 'outbound'] as const)('the %s log', (name) => {
  const lines = LOGS[name]();

  it('is the same for the same seed, and another for another', () => {
    expect(LOGS[name]()).toEqual(lines);
    const other =
      name === 'inbound' ? generateInboundLog({ ...SIZE, seed: 8 }) : generateOutboundLog({ ...SIZE, seed: 8 });
    expect([...other]).not.toEqual(lines);
  });

  it('labels every kind of event that is planted', () => {
    const labels = new Set(lines.flatMap(({ label }) => (label ? [label as string] : [])));
    expect([...labels].sort()).toEqual([...(name === 'inbound' ? EVENTS : OUTBOUND_EVENTS)].sort());
  });

  it('has as many ordinary requests as are requested', () => {
    const ordinary = lines.filter(({ label }) => label === undefined).length;
    expect(Math.abs(ordinary - SIZE.requests)).toBeLessThanOrEqual(1);
  });

  it('uses addresses and names that belong to no one', () => {
    const text = lines.map((line) => line.text).join('\n');
    const ours = /^(192\.0\.2|198\.51\.100|203\.0\.113|198\.1[89]\.\d+)\./;
    const addresses = new Set(text.match(/\b\d{1,3}\.\d{1,3}\.\d{1,3}\.\d{1,3}\b/g));
    expect([...addresses].filter((address) => !ours.test(address))).toEqual([]);
    const ipv6 = new Set(text.match(/\b[0-9a-f]{4}:[0-9a-f:]*::[0-9a-f]+\b/g));
    expect([...ipv6].filter((address) => !/^(2001:db8|3fff):/.test(address))).toEqual([]);
    const names = new Set(text.match(/\b[a-z][a-z0-9-]*(\.[a-z][a-z0-9-]*)*\.(example|com|org|net|no|se)\b/g));
    expect([...names].filter((host) => !host.endsWith('.example'))).toEqual([]);
  });

  it('begins at once, however large it is', () => {
    const huge = { requests: 1e12, seed: 1 };
    // A minute of it would not fit in memory, so this ends only if nothing is made before it is requested.
    const generator =
      name === 'inbound'
        ? generateInboundLog({ ...huge, requests: 1e6 })
        : generateOutboundLog({ ...huge, requests: 1e6 });
    expect(generator.next().value).toHaveProperty('text');
  });
});

it('the lines of the outbound log are records, but for the malformed ones', () => {
  for (const { text, label } of LOGS.outbound()) {
    if (label === 'malformed') continue;
    const record = JSON.parse(text) as Record<string, unknown>;
    expect(Object.keys(record)).toEqual(
      expect.arrayContaining(['timestamp', 'client.address', 'destination.address', 'network.transport']),
    );
  }
});
