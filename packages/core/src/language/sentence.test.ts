import { describe, expect, it } from 'vitest';
import { parseFences } from './parser.js';
import { describeRule, type ListSizes } from './sentence.js';
import { describeStatement } from './statement-sentence.js';
import type { FenceStatement } from './tree.js';

const lists: ListSizes = new Map([
  ['team', { kind: 'addresses', numEntries: 1 }],
  ['home', { kind: 'countries', numEntries: 3 }],
  ['fun', { kind: 'categories', numEntries: 2 }],
]);

function sentenceOf(rule: string): string {
  const { file, diagnostics } = parseFences(`fence f enforce {\nrule r ${rule}\n}`, 'f.fence');
  expect(diagnostics).toEqual([]);
  return describeRule((file.statements[0] as FenceStatement).rules[0]!, lists);
}

describe('a rule', () => {
  it.each([
    ['allow when always', 'Allow always.'],
    ['trial block 451 when always', 'On trial: block with 451 always.'],
    ['off observe when method = GET', 'Off: only observe when the method is GET.'],
    ['allow outright when client in team', 'Allow outright when the client is in team (1 address entry).'],
    [
      'tag staff, night when client in 198.18.4.0/24, 198.18.5.1',
      'Tag as staff and night when the client is in 198.18.4.0/24 or 198.18.5.1.',
    ],
    [
      'block when host = a.example and not tag = staff',
      'Block with 403 when the host is a.example and the request is not tagged staff.',
    ],
    [
      'block when country not in home, internal and path under /a, /b',
      'Block with 403 when the country is neither in home (3 countries) nor internal, and the path is under /a or under /b.',
    ],
    [
      'block when host in *.a.example, =b.example or (country = NO and path != /x)',
      'Block with 403 when the host is anything below a.example or b.example itself, or (the country is NO and the path is not /x).',
    ],
    [
      'block when not (country = NO or host in unknown-list)',
      'Block with 403 when it is not so that (the country is NO or the host is in unknown-list).',
    ],
    [
      'block 403 page staff-only when host = a.example and not tag = staff',
      'Block with 403 and the page staff-only when the host is a.example and the request is not tagged staff.',
    ],
    [
      'redirect "https://www.example/" 307 when site = a.example',
      'Redirect to https://www.example/ with 307 when the site is a.example.',
    ],
    [
      'warn page slow for 2h when url in a.example/sale',
      'Warn with the page slow and then let pass for 2 hours when the url is a.example/sale or below.',
    ],
    [
      'passphrase door when user absent',
      'Require the passphrase door and then let pass for 30 minutes when the user is absent.',
    ],
    [
      'challenge for 1d when agent contains anycase "bot"',
      'Require a sign that a person is there and then let pass for 1 day when the user agent contains bot in any case.',
    ],
    [
      'limit 20 per 5m by client, header "x-key" then block 503 for 10m when path under /login',
      'Limit to 20 requests in 5 minutes for each client and header x-key and beyond that block with 503 for 10 minutes, when the path is under /login.',
    ],
    [
      'limit 1 per 1s by client /24 /48, path across gates then redirect "/wait" when always',
      'Limit to 1 request in 1 second for each client network of /24 or /48 and path across all gates and beyond that redirect to /wait, always.',
    ],
    [
      'limit 5 per 1m by everyone when always',
      'Limit to 5 requests in 1 minute for everyone together and beyond that block with 429, always.',
    ],
    [
      'throttle 2MB/s by client when application = dns',
      'Throttle bytes sent to the client to 2MB a second for each client when the application is dns.',
    ],
    [
      'throttle 500kB/s up by everyone across gates burst 10MB when always',
      'Throttle bytes sent by the client to 500kB a second for everyone together across all gates, 10MB at once, always.',
    ],
    [
      'throttle 512/s by client burst 1 when always',
      'Throttle bytes sent to the client to 512 bytes a second for each client, 1 byte at once, always.',
    ],
    [
      'block when country = NO during nights until 2026-12-31 if unknown match owner "kari" reason "why"',
      'Block with 403 when the country is NO, during nights, until 2026-12-31 (that day included), also when unknown.',
    ],
    [
      'block when always outside nights until 2026-12-31T18:00:00Z',
      'Block with 403 always, outside nights, until 2026-12-31T18:00:00Z.',
    ],
    [
      'block when port in 80, 8000 - 8999 and size > 10MB',
      'Block with 403 when the port is 80 or in 8000 - 8999, and the size of the request body is above 10MB.',
    ],
    [
      'block when path like "/a/*" or path starts /b or not path ends .php, .asp',
      'Block with 403 when the path is like /a/*, or the path starts with /b, or the path ends with neither .php nor .asp.',
    ],
    [
      'block when query "ref" = "" and not cookie "seen" present and header "x-a" matches "^y"',
      'Block with 403 when the query parameter ref is empty and the cookie seen is absent and the header x-a matches ^y.',
    ],
    [
      'block when payload starts hex "16 03" or payload is dns or server country not in NO',
      'Block with 403 when the payload starts with hex "16 03" or the payload is dns or the country of the server is not NO.',
    ],
    [
      'block when category in fun and application != dns and from-client >= 1GiB',
      'Block with 403 when the category is in fun (2 categories) and the application is not dns and the number of bytes from the client is at least 1GiB.',
    ],
  ])('for "%s" reads aloud', (rule, sentence) => expect(sentenceOf(rule)).toBe(sentence));
});

describe('a statement', () => {
  it.each([
    ['zone Europe/Oslo', 'Dates and schedules are in the time of Europe/Oslo.'],
    ['list a addresses { 198.18.4.1, b except 198.18.4.2 }', 'The list a holds 198.18.4.1 and b except 198.18.4.2.'],
    ['list a urls { }', 'The list a is an empty list of urls.'],
    ['list a domains from "a.txt"', 'The list a holds the domains kept in a.txt.'],
    [
      'schedule s { zone UTC mon-wed, sat 09:00-12:00, 13:00-24:00 sun 10:00-11:00 except 2026-12-24 }',
      'The schedule s is Monday to Wednesday and Saturday 09:00-12:00 and 13:00-24:00; Sunday 10:00-11:00, in the time of UTC, but not on 2026-12-24.',
    ],
    ['page p "p.html"', 'The page p is kept in p.html.'],
    [
      'application a { needs b, c over tls signature when host = a.example signature when agent = x }',
      'The application a is recognised when the host is a.example, or when the user agent is x, runs over tls, and needs b and c.',
    ],
    [
      'gate g inbound { hosts a.example, b client from header x-f trusting 203.0.113.0/24 paths fold-case otherwise allow }',
      'The inbound gate g protects a.example and b, takes the client from the header x-f where 203.0.113.0/24 set it, reads paths with fold-case, evaluates no fence; where none decides: allow.',
    ],
    [
      'gate g outbound { clients 198.18.0.0/16 inspect { exempt when user = kari otherwise inspect } fences a, b otherwise block }',
      'The outbound gate g is where 198.18.0.0/16 go out, leaves alone what is encrypted when the user is kari, otherwise inspects it, evaluates a and b in this order; where none decides: block with 403.',
    ],
    [
      'fence f trial { rule r allow when always }',
      'The fence f is on trial with 1 rule; where no rule ends it: continue with the next fence.',
    ],
    [
      'expect limited by rule f/r after 5 in 1m from 198.18.1.1 to https://a.example/ with user kari at 2026-10-12T10:00:00Z because "why"',
      'A request from 198.18.1.1 to https://a.example/ with user kari at 2026-10-12T10:00:00Z must be limited after 5 in 1m by the rule f/r, because why.',
    ],
  ])('for "%s" reads aloud', (text, sentence) => {
    const { file, diagnostics } = parseFences(text, 'f.fence');
    expect(diagnostics).toEqual([]);
    expect(describeStatement(file.statements[0]!, lists)).toBe(sentence);
  });
});
