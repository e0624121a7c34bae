/** Explanations of what rules remember, of clients behind proxies and of what encryption hides. */
import { describe, expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { State } from '../decide/state.js';
import { createCategories, createCategoryFeed } from '../reference/categories.js';
import type { Attributes } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { explainRequest } from './explain.js';
import { renderExplanation } from './render-text.js';

const FENCES = `
list edge addresses { 203.0.113.0/26 }
list games domains { play.example }
schedule desk-hours { mon-fri 09:00-17:00 }
page games-page "games.html"
gate shop inbound {
  hosts shop.example
  client from header x-forwarded-for trusting edge
  fences door
  otherwise allow
}
gate offices outbound {
  clients 198.18.4.0/22
  inspect {
    exempt when category = finance
    otherwise inspect
  }
  fences desks
  otherwise allow
}
fence door enforce {
  rule night block when path = /never until 2026-01-01
  rule pace limit 2 per 1m by client, method for 10m when path under /login
}
fence desks enforce {
  rule closed block when host in games outside desk-hours
  rule games warn page games-page for 1h when host in games
  rule keys limit 1 per 1m by header "x-key" when application = dns
  rule paths block 451 when path under /secret or url in play.example/x
}
`;
const categories = createCategories([createCategoryFeed('ours', [{ host: 'bank.example', category: 'finance' }])]);
const { rulebook } = checkFences([{ path: 'f.fence', text: FENCES }], [{ path: 'games.html', text: '' }], {
  categories: categories.names,
});

/** The explanation of the last of some requests, a second apart. */
function explainLast(...requests: Attributes[]): string {
  const state = new State();
  const texts = requests.map((attributes, second) => {
    const atUnixMs = Date.UTC(2026, 9, 12, 10, 0, second);
    const request = normalizeRequest({ line: 1, atUnixMs, attributes });
    return renderExplanation(explainRequest({ rulebook: rulebook!, categories }, request, state));
  });
  return texts.at(-1)!;
}

const login: Attributes = {
  'client.address': '203.0.113.5',
  'http.request.header.x-forwarded-for': ['198.18.33.7, 203.0.113.9'],
  'url.full': 'https://shop.example/login',
  'http.request.method': 'POST',
};
const game: Attributes = {
  'client.address': '198.18.4.7',
  'url.full': 'https://play.example/x',
  'http.request.method': 'GET',
  'user.name': 'kari',
};

describe('an explanation', () => {
  it('follows an address header, and reports what a limit counted before it trips', () =>
    expect(explainLast(login)).toBe(
      [
        'POST shop.example/login at 2026-10-12T10:00:00.000Z',
        'client   198.18.33.7, connected from 203.0.113.5',
        '         Following the header x-forwarded-for from the right: 203.0.113.5 (trusted as edge), then 203.0.113.9 (trusted as edge), then 198.18.33.7 (not a trusted proxy).',
        'country  (unknown) (no country table is loaded)',
        'gate     shop (its hosts cover the request with shop.example)',
        'fence    door',
        '  night: expired',
        '      Block with 403 when the path is /never, until 2026-01-01 (that day included).',
        '  pace: matched',
        '      Limit to 2 requests in 1 minute for each client and method and beyond that block with 429 for 10 minutes, when the path is under /login.',
        '      tested path under /login; the path is /login',
        '      Counted for 198.18.33.7, POST: 1 of 2 in the window.',
        '  no rule ended this fence',
        'outcome  allowed. No fence decided, so gate shop allows it (otherwise).',
        'client sees: What was requested.',
      ].join('\n'),
    ));

  it('reports that a limit trips, and until when it holds', () =>
    expect(explainLast(login, login, login)).toBe(
      [
        'POST shop.example/login at 2026-10-12T10:00:02.000Z',
        'client   198.18.33.7, connected from 203.0.113.5',
        '         Following the header x-forwarded-for from the right: 203.0.113.5 (trusted as edge), then 203.0.113.9 (trusted as edge), then 198.18.33.7 (not a trusted proxy).',
        'country  (unknown) (no country table is loaded)',
        'gate     shop (its hosts cover the request with shop.example)',
        'fence    door',
        '  night: expired',
        '      Block with 403 when the path is /never, until 2026-01-01 (that day included).',
        '  pace: matched',
        '      Limit to 2 requests in 1 minute for each client and method and beyond that block with 429 for 10 minutes, when the path is under /login.',
        '      tested path under /login; the path is /login',
        '      Counted for 198.18.33.7, POST: more than 2 in the window, held until 2026-10-12T10:10:02.000Z.',
        'outcome  limited. Rule door/pace limited it.',
        'client sees: Status 429 instead of what was requested.',
      ].join('\n'),
    ));

  it('reports that a header is ignored, if the peer is not trusted to set it', () =>
    expect(explainLast({ ...login, 'client.address': '198.18.33.8' })).toBe(
      [
        'POST shop.example/login at 2026-10-12T10:00:00.000Z',
        'client   198.18.33.8',
        '         The header x-forwarded-for is ignored, because the peer is not trusted to set it.',
        'country  (unknown) (no country table is loaded)',
        'gate     shop (its hosts cover the request with shop.example)',
        'fence    door',
        '  night: expired',
        '      Block with 403 when the path is /never, until 2026-01-01 (that day included).',
        '  pace: matched',
        '      Limit to 2 requests in 1 minute for each client and method and beyond that block with 429 for 10 minutes, when the path is under /login.',
        '      tested path under /login; the path is /login',
        '      Counted for 198.18.33.8, POST: 1 of 2 in the window.',
        '  no rule ended this fence',
        'outcome  allowed. No fence decided, so gate shop allows it (otherwise).',
        'client sees: What was requested.',
      ].join('\n'),
    ));

  it('reports that a person is held, with the page, and what is seen of an inspected request', () =>
    expect(explainLast(game)).toBe(
      [
        'GET play.example/x at 2026-10-12T10:00:00.000Z',
        'client   198.18.4.7',
        'country  (unknown) (no country table is loaded)',
        'gate     offices (its clients hold the client with 198.18.4.0/22)',
        '         Encrypted and inspected, so everything is visible: no inspect rule of the gate matched, and its otherwise decides.',
        'application (unknown)',
        'url      play.example/x',
        'fence    desks',
        '  closed: not in its hours',
        '      Block with 403 when the host is in games (1 domain), outside desk-hours.',
        '  games: matched',
        '      Warn with the page games-page and then let pass for 1 hour when the host is in games (1 domain).',
        '      tested host in games; the host is play.example (games holds it as play.example)',
        '      The request is held; the user may continue from the next request.',
        '  keys: not reached',
        '      Limit to 1 request in 1 minute for each header x-key and beyond that block with 429, when the application is dns.',
        '  paths: not reached',
        '      Block with 451 when the path is under /secret or the url is play.example/x or below.',
        'outcome  held. Rule desks/games held it (warning).',
        'client sees: Status 403, with the page games-page instead of what was requested.',
      ].join('\n'),
    ));

  it('reports that a rule is skipped during a hold, and which rule then decides', () =>
    expect(explainLast(game, game)).toBe(
      [
        'GET play.example/x at 2026-10-12T10:00:01.000Z',
        'client   198.18.4.7',
        'country  (unknown) (no country table is loaded)',
        'gate     offices (its clients hold the client with 198.18.4.0/22)',
        '         Encrypted and inspected, so everything is visible: no inspect rule of the gate matched, and its otherwise decides.',
        'application (unknown)',
        'url      play.example/x',
        'fence    desks',
        '  closed: not in its hours',
        '      Block with 403 when the host is in games (1 domain), outside desk-hours.',
        '  games: matched',
        '      Warn with the page games-page and then let pass for 1 hour when the host is in games (1 domain).',
        '      tested host in games; the host is play.example (games holds it as play.example)',
        '      The user has complied, so this rule is skipped.',
        '  keys: blind',
        '      Limit to 1 request in 1 minute for each header x-key and beyond that block with 429, when the application is dns.',
        '      tested application = dns; the application is (unknown)',
        '  paths: matched',
        '      Block with 451 when the path is under /secret or the url is play.example/x or below.',
        '      tested url in play.example/x; the url is play.example/x',
        'blind    desks/keys',
        'outcome  blocked. Rule desks/paths blocked it.',
        'client sees: Status 451 instead of what was requested.',
      ].join('\n'),
    ));

  it('reports what encryption hides, and which rules are blind for it', () =>
    expect(explainLast({ ...game, 'url.full': 'https://bank.example/x' })).toBe(
      [
        'bank.example (method and path unknown) at 2026-10-12T10:00:00.000Z',
        'client   198.18.4.7',
        'country  (unknown) (no country table is loaded)',
        'gate     offices (its clients hold the client with 198.18.4.0/22)',
        '         Encrypted and not inspected, so only the host and the addresses are visible: inspect rule 1 of the gate decides.',
        'application (unknown)',
        'url      (unknown)',
        'fence    desks',
        '  closed: not in its hours',
        '      Block with 403 when the host is in games (1 domain), outside desk-hours.',
        '  games: not matched',
        '      Warn with the page games-page and then let pass for 1 hour when the host is in games (1 domain).',
        '      tested host in games; the host is bank.example',
        '  keys: blind',
        '      Limit to 1 request in 1 minute for each header x-key and beyond that block with 429, when the application is dns.',
        '      tested application = dns; the application is (unknown)',
        '  paths: blind',
        '      Block with 451 when the path is under /secret or the url is play.example/x or below.',
        '      tested path under /secret; the path is (unknown)',
        '  no rule ended this fence',
        'blind    desks/keys, desks/paths',
        'outcome  allowed. No fence decided, so gate offices allows it (otherwise).',
        'client sees: What was requested.',
      ].join('\n'),
    ));
});
