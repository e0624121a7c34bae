import { expect, test } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { viewRequest } from '../decide/gate.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import { parseCountryRows } from '../reference/country-rows.js';
import { createCountryTable } from '../reference/country-table.js';
import { formatAddress } from '../request/address.js';
import type { LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { chunkOf } from '../test/chunk-of.js';
import { addGatePreviews, GatePreviewCounter, type GateCounts } from './gate-preview.js';

const context: EvaluationContext = {
  rulebook: checkFences(
    [
      {
        path: 'f.fence',
        text: `gate shop inbound { hosts shop.example client from header x-forwarded-for trusting 203.0.113.0/26 fences f otherwise allow }
gate wifi outbound { clients 198.18.40.0/22 inspect { exempt when host under bank.example otherwise inspect } fences f otherwise allow }
fence f enforce { }`,
      },
    ],
    [],
  ).rulebook!,
  countries: createCountryTable(parseCountryRows('198.51.100.0/24,NO\n203.0.113.0/24,SE\n198.18.40.0/22,DK').ranges),
};

const LOG = Array.from({ length: 300 }, (_, index): LogRecord => {
  const isShop = index % 3 !== 0;
  const peer = ['203.0.113.9', '203.0.113.200', '198.18.40.7'][isShop ? index % 2 : 2]!;
  return {
    line: index + 1,
    atUnixMs: index * 1000,
    attributes: {
      'network.peer.address': peer,
      'url.full': isShop
        ? 'http://shop.example/'
        : `${index % 2 ? 'https' : 'http'}://${index % 5 ? 'other' : 'www.bank'}.example/`,
      'http.request.method': 'GET',
      ...(index % 4 === 0 ? {} : { 'http.request.header.x-forwarded-for': [`198.51.100.${index % 7}`] }),
    },
  };
});

/** The same counts, request by request as the interpreter sees them. */
function countSlowly(name: string): GateCounts {
  const countries: Record<string, { before: number; after: number }> = {};
  const counts = { requests: 0, withHeader: 0, changed: 0, ignored: 0, encrypted: 0, hidden: 0 };
  for (const record of LOG) {
    const request = normalizeRequest(record);
    const view = viewRequest(context, request);
    if (view?.gate.statement.name !== name) continue;
    counts.requests += 1;
    if (view.gate.statement.clientFrom && record.attributes['http.request.header.x-forwarded-for'])
      counts.withHeader += 1;
    if (formatAddress(view.client!) !== formatAddress(request.client!)) counts.changed += 1;
    if (view.resolved.isHeaderIgnored) counts.ignored += 1;
    if (request.isEncrypted && name === 'wifi') counts.encrypted += 1;
    if (view.isHidden) counts.hidden += 1;
    const [before, after] = [request.client, view.client].map((client) => view.countryOf(client) ?? 'unknown') as [
      string,
      string,
    ];
    (countries[before] ??= { before: 0, after: 0 }).before += 1;
    (countries[after] ??= { before: 0, after: 0 }).after += 1;
  }
  return { ...counts, countries };
}

test.each(['shop', 'wifi'])('a preview of the gate %s counts what the interpreter sees', (name) => {
  const counter = new GatePreviewCounter(context, name);
  const parts = [LOG.slice(0, 120), LOG.slice(120)].map((records) => counter.count(chunkOf(records)!));
  const preview = addGatePreviews(parts);
  expect(preview).toEqual(countSlowly(name));
  expect([preview.changed > 0, preview.ignored > 0, preview.hidden > 0]).toEqual(
    name === 'shop' ? [true, true, false] : [false, false, true],
  );
});
