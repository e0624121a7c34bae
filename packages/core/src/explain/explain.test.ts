import { describe, expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { parseCountryRows } from '../reference/country-rows.js';
import { createCountryTable } from '../reference/country-table.js';
import { normalizeRequest } from '../request/request.js';
import type { Attributes } from '../request/record.js';
import { explainRequest } from './explain.js';
import { renderExplanation } from './render-text.js';

const text = `
list desk addresses { 198.18.4.0/24 except 198.18.4.66 }
list team addresses { desk, 2001:db8:4::/48 }
gate tickets inbound { hosts tickets.example fences house, desk-rules otherwise allow }
fence house trial {
  rule staff tag staff when client in team
  rule abroad block when country != NO and path under /resale
}
fence desk-rules enforce {
  rule old off block when always
  rule writes block 405 when method not in GET, HEAD and not client in team
  rule both block 451 when country = NO and (path = /a or path under /resale)
  rule last allow when always
}
`;
const judge = {
  rulebook: checkFences([{ path: 'f.fence', text }], []).rulebook!,
  countries: createCountryTable(parseCountryRows('198.18.4.0/22,NO').ranges),
};
const explain = (attributes: Attributes): string =>
  renderExplanation(
    explainRequest(judge, normalizeRequest({ line: 1, atUnixMs: Date.UTC(2026, 9, 12, 10), attributes })),
  );

describe('an explanation', () => {
  it('reports every step of a request that a rule blocks', () => {
    expect(
      explain({
        'client.address': '198.18.4.7',
        'url.full': 'https://tickets.example/resale/x',
        'http.request.method': 'GET',
      }),
    ).toBe(`\
GET tickets.example/resale/x at 2026-10-12T10:00:00.000Z
client   198.18.4.7
country  NO (198.18.4.0/22 is NO)
gate     tickets (its hosts cover the request with tickets.example)
fence    house (trial)
  staff (trial): matched
      Tag as staff when the client is in team (2 address entries).
      tested client in team; the client is 198.18.4.7 (team > desk holds it as 198.18.4.0/24)
  abroad (trial): not matched
      Block with 403 when the country is not NO and the path is under /resale.
      tested country != NO; the country is NO
  no rule ended this fence
fence    desk-rules
  old: off
      Off: block with 403 always.
  writes: not matched
      Block with 405 when the method is neither GET nor HEAD, and the client is not in team (2 address entries).
      tested method not in GET, HEAD; the method is GET
  both: matched
      Block with 451 when the country is NO and (the path is /a or the path is under /resale).
      tested country = NO; the country is NO
      tested path under /resale; the path is /resale/x
  last: not reached
      Allow always.
outcome  blocked. Rule desk-rules/both blocked it.
client sees: Status 451 instead of what was requested.`);
  });

  it('names the fields that could not be known, and what trial would have done', () => {
    expect(
      explain({ 'client.address': 'proxy', 'url.full': 'https://tickets.example/', 'http.request.method': 'POST' }),
    ).toBe(`\
POST tickets.example/ at 2026-10-12T10:00:00.000Z
client   (unknown)
country  (unknown) (the client has no known address)
gate     tickets (its hosts cover the request with tickets.example)
fence    house (trial)
  staff (trial): blind
      Tag as staff when the client is in team (2 address entries).
      tested client in team; the client is (unknown)
  abroad (trial): not matched
      Block with 403 when the country is not NO and the path is under /resale.
      tested path under /resale; the path is /
  no rule ended this fence
fence    desk-rules
  old: off
      Off: block with 403 always.
  writes: blind
      Block with 405 when the method is neither GET nor HEAD, and the client is not in team (2 address entries).
      tested not client in team; the client is (unknown)
  both: not matched
      Block with 451 when the country is NO and (the path is /a or the path is under /resale).
      tested path = /a; the path is /
      tested path under /resale; the path is /
  last: matched
      Allow always.
blind    house/staff, desk-rules/writes
outcome  allowed. Rule desk-rules/last allowed it.
client sees: What was requested.`);
  });

  it('of a request that no gate covers reports that', () => {
    expect(
      explain({
        'client.address': '10.0.0.1',
        'network.peer.address': '203.0.113.7',
        'url.full': 'https://other.example/',
        'http.request.method': 'GET',
      }),
    ).toBe(`\
GET other.example/ at 2026-10-12T10:00:00.000Z
client   10.0.0.1, connected from 203.0.113.7
country  internal (a private or local address, in no country)
gate     none
outcome  uncovered. No gate covers this request, so no rule was evaluated.
client sees: Nothing changes: these rules do not protect this host.`);
  });
});
