/** Random fences over a small world, so that rules meet, lists nest and every truth value comes up. */
import fc from 'fast-check';
import { action, several, TAGS } from './arbitrary-actions.js';

const ADDRESSES = [
  '198.18.0.1',
  '198.18.0.2',
  '198.18.0.0/30',
  '198.18.0.0/24',
  '198.18.0.2 - 198.18.0.9',
  '2001:db8::1',
  '2001:db8::/64',
];
const COUNTRIES = ['NO', 'SE', 'no-country', 'internal'];
const DOMAINS = ['a.example', '*.a.example', '=a.example', 'b.example', '"single"'];
const PATHS = ['/', '/a', '/a/b', '/login', '"/a b"'];
const METHODS = ['GET', 'POST'];

const inOrNot = fc.constantFrom('in', 'not in');
const isOrNot = fc.constantFrom('=', '!=');
const PLAIN_DOMAINS = ['a.example', 'b.example', 'c.a.example'];

const AGENTS = ['"Fox/1 bot"', 'Hen', '"fox"', '"*o*"', '"b?t"'];
const textComparison = (field: string): fc.Arbitrary<string> =>
  fc.oneof(
    fc.tuple(isOrNot, fc.constantFrom(...AGENTS)).map(([word, value]) => `${field} ${word} ${value}`),
    fc.tuple(inOrNot, several(AGENTS)).map(([word, values]) => `${field} ${word} ${values}`),
    fc
      .tuple(fc.constantFrom('like', 'starts', 'ends', 'contains'), fc.boolean(), several(AGENTS))
      .map(([word, isAnyCase, values]) => `${field} ${word} ${isAnyCase ? 'anycase ' : ''}${values}`),
    fc
      .constantFrom('matches "o[tx]"', 'matches "^H", "t$"', 'matches "[Ff]ox"', 'present', 'absent')
      .map((requested) => `${field} ${requested}`),
  );
const numberComparison = (field: string): fc.Arbitrary<string> =>
  fc.oneof(
    fc
      .tuple(fc.constantFrom('=', '!=', '<', '<=', '>', '>='), fc.constantFrom(0, 80, 443, 1000))
      .map(([word, value]) => `${field} ${word} ${value}`),
    fc.constantFrom(`${field} in 80 - 443, 1000`, `${field} not in 0 - 79`, `${field} present`, `${field} absent`),
  );
const plainComparison = fc.oneof(
  fc.tuple(inOrNot, several([...ADDRESSES, 'team', 'everyone'])).map(([word, values]) => `client ${word} ${values}`),
  fc.tuple(isOrNot, fc.constantFrom('198.18.0.1', '2001:db8::1')).map(([word, value]) => `client ${word} ${value}`),
  fc.tuple(inOrNot, several([...ADDRESSES, 'team'])).map(([word, values]) => `peer ${word} ${values}`),
  fc.tuple(inOrNot, several([...COUNTRIES, 'home'])).map(([word, values]) => `country ${word} ${values}`),
  fc.tuple(inOrNot, several([...DOMAINS, 'sites'])).map(([word, values]) => `host ${word} ${values}`),
  fc.tuple(isOrNot, fc.constantFrom(...PLAIN_DOMAINS)).map(([word, value]) => `host ${word} ${value}`),
  several(PLAIN_DOMAINS).map((values) => `host under ${values}`),
  fc.constantFrom(
    'host like "*.a.example"',
    'host starts a.',
    'host contains ".a."',
    'site = a.example',
    'site absent',
    'site in b.example',
  ),
  several(PATHS).map((values) => `path under ${values}`),
  fc.tuple(inOrNot, several(PATHS)).map(([word, values]) => `path ${word} ${values}`),
  fc.constantFrom(
    'path like "/a*"',
    'path ends /b',
    'path contains anycase LOG',
    'path matches "^/[al]"',
    'path absent',
  ),
  fc.tuple(inOrNot, several(['a.example/a', 'b.example', 'places'])).map(([word, values]) => `url ${word} ${values}`),
  fc.constantFrom('url present', 'url absent'),
  fc.tuple(inOrNot, several(METHODS)).map(([word, values]) => `method ${word} ${values}`),
  fc.constantFrom(
    'method present',
    'scheme = https',
    'scheme absent',
    'direction = outbound',
    'gate in a, out',
    'user present',
    'user = kari',
  ),
  fc.constantFrom(
    'query "q" = "1"',
    'query "q" absent',
    'query contains q',
    'cookie "c" in x, y',
    'cookie "c" present',
    'header "x-a" = anycase YES',
    'header "x-a" absent',
    'header "referer" starts "https://c.a.example/"',
    'header "referer" = "http://a.example"',
  ),
  textComparison('agent'),
  numberComparison('size'),
  numberComparison('port'),
  fc.tuple(isOrNot, fc.constantFrom(...TAGS)).map(([word, value]) => `tag ${word} ${value}`),
);

/** Fields that only whole records have: flows, applications, categories, groups, servers. */
const wideComparison = fc.oneof(
  { weight: 2, arbitrary: plainComparison },
  fc.oneof(
    fc
      .tuple(inOrNot, several(['news', 'games', 'uncategorised', 'idle']))
      .map(([word, values]) => `category ${word} ${values}`),
    fc.constantFrom('category = news', 'category != games', 'category present', 'category absent'),
    fc
      .tuple(inOrNot, several(['chat', 'door', 'tls', 'dns', 'ssh', 'http', 'unrecognised', 'talk']))
      .map(([word, values]) => `application ${word} ${values}`),
    fc.constantFrom('application = chat', 'application != tls', 'application present', 'application absent'),
    fc.constantFrom(
      'payload is tls',
      'payload is ssh, dns',
      'payload starts hex "01 02", hex "53"',
      'payload present',
      'payload absent',
    ),
    fc.constantFrom('transport = tcp', 'transport in udp, icmp', 'transport absent', 'transport != tcp'),
    fc.constantFrom('group = staff', 'group in staff, guests', 'group absent', 'group contains anycase ST'),
    fc.tuple(inOrNot, several([...ADDRESSES, 'team'])).map(([word, values]) => `server ${word} ${values}`),
    fc.tuple(isOrNot, fc.constantFrom(...COUNTRIES)).map(([word, value]) => `server country ${word} ${value}`),
    fc.constantFrom(
      'host matches "^[ab][.]"',
      'host ends anycase .EXAMPLE',
      'host starts "c."',
      'host like "?.*"',
      'host contains ".a."',
    ),
    numberComparison('from-client'),
    numberComparison('to-client'),
    fc.constantFrom(
      'host in many',
      'client present',
      'server absent',
      'path = /a',
      'path != /login',
      'path starts "/a"',
      'tag in red, green',
      'tag not in blue',
      'tag present',
      'tag absent',
      'host not in many',
      'client in many-addresses',
      'url in places, many-urls',
      'path matches "/[ab]$|^/login"',
      'agent matches "(?i)BOT$"',
      'agent = anycase BOT',
    ),
  ),
);

const conditionOf = (comparison: fc.Arbitrary<string>): fc.Arbitrary<string> =>
  fc.letrec<{ condition: string }>((tie) => ({
    condition: fc.oneof(
      { depthSize: 'small', withCrossShrink: true },
      comparison,
      comparison.map((text) => `not ${text}`),
      fc
        .tuple(tie('condition'), fc.constantFrom('and', 'or'), tie('condition'))
        .map(([a, word, b]) => `(${a}) ${word} (${b})`),
      tie('condition').map((text) => `not (${text})`),
    ),
  })).condition;

const times = fc.constantFrom('', '', '', '', ' during desk-hours', ' outside desk-hours', ' during nights');
const until = fc.constantFrom('', '', '', '', ' until 2026-10-24', ' until 2026-10-25T00:30:00Z');
const ifUnknown = fc.constantFrom('', '', '', ' if unknown match');
const ruleOf = (condition: fc.Arbitrary<string>) =>
  fc
    .tuple(
      fc.constantFrom('', '', ' trial', ' off'),
      action,
      fc.oneof({ weight: 4, arbitrary: condition }, { weight: 1, arbitrary: fc.constant('always') }),
      times,
      until,
      ifUnknown,
    )
    .map(([state, act, when, ...rest]): [string, string, string] => [state, act, `${when}${rest.join('')}`]);
const ending = fc.constantFrom('continue', 'continue', 'allow', 'block 410', 'redirect "/closed" 307');

const fenceOf = (comparison: fc.Arbitrary<string>, maxLength: number) =>
  fc
    .tuple(
      fc.constantFrom('enforce', 'trial'),
      fc.array(ruleOf(conditionOf(comparison)), { minLength: 2, maxLength }),
      fc.oneof({ weight: maxLength - 5, arbitrary: fc.constant('continue') }, ending),
    )
    .map(
      ([mode, rules, otherwise]) =>
        (name: string) =>
          [
            `fence ${name} ${mode} {`,
            ...rules.map(([state, act, when], index) => `  rule r${index}${state} ${act} when ${when}`),
            `  otherwise ${otherwise}`,
            '}',
          ].join('\n'),
    );

const LISTS = [
  'list team addresses protected { 198.18.0.0/29 except 198.18.0.2 }',
  'list everyone addresses { team, 2001:db8::/32 except 2001:db8::1 }',
  'list home countries { NO, SE }',
  'list sites domains { *.a.example, =b.example except c.a.example }',
  'list places urls { a.example/a, b.example/login except a.example/a/b }',
  'zone Europe/Oslo',
  'schedule desk-hours { mon-fri 09:00-12:00, 14:00-18:00 sun 01:00-03:00 except 2026-10-26 }',
  'schedule nights { zone America/New_York sat, sun 22:00-06:00 fri 20:00-24:00 }',
].join('\n');

/** Gates that contend for one host: the entry with `=` is closer than the one without, in any order. */
const CONTENDERS = [
  'gate deep inbound { hosts c.a.example fences three otherwise allow }',
  'gate exact inbound { hosts =c.a.example fences two otherwise block }',
].join('\n');

const INSPECTIONS = [
  '',
  'inspect { exempt when host under b.example inspect when client in team otherwise exempt }',
  'inspect { exempt when country = NO otherwise inspect }',
];

/** Fence text with lists, schedules, gates for a.example and b.example and for clients who go out, and three fences. */
const textOf = (fence: ReturnType<typeof fenceOf>, more: string): fc.Arbitrary<string> =>
  fc
    .tuple(
      fence,
      fence,
      fence,
      fc.constantFrom('allow', 'block'),
      fc.subarray(['one', 'two', 'three'], { minLength: 1 }),
      fc.constantFrom('', CONTENDERS),
      fc.constantFrom('', 'client from header x-forwarded-for trusting 203.0.113.0/24, team'),
      fc.constantFrom('', 'paths fold-case'),
      fc.constantFrom(...INSPECTIONS),
    )
    .map(([one, two, three, otherwise, stack, contenders, clientFrom, paths, inspection]) =>
      [
        LISTS,
        contenders,
        `gate a inbound { hosts a.example ${clientFrom} ${paths} fences ${stack.join(', ')} otherwise ${otherwise} }`,
        'gate b inbound { hosts =b.example, single-list fences three otherwise redirect "https://a.example/" }',
        `gate out outbound { clients 198.18.0.0/29, 10.0.0.0/8 ${clientFrom} ${inspection} fences ${stack.join(', ')} otherwise ${otherwise} }`,
        'list single-list domains { "single" }',
        one('one'),
        two('two'),
        three('three'),
        more,
      ].join('\n'),
    );

export const fenceText = textOf(fenceOf(plainComparison, 6), '');

/** The same over everything that can be tested, for `wideAttributes`, with the categories `news` and `games`. */
export const wideFenceText = textOf(
  fenceOf(wideComparison, 12),
  [
    'list idle categories { games, news except news }',
    'list talk applications { chat, ssh }',
    'list many domains { a.example, sites, "single" except =a.example }',
    'list many-addresses addresses { everyone, team, 198.18.0.64/26, 203.0.113.9 except 198.18.0.77 }',
    'list many-urls urls { b.example, places except b.example/a }',
    'application chat { over http signature when host = b.example and path under /a signature when payload starts hex "01" }',
    'application door { over chat signature when port = 8443 and not host under a.example }',
  ].join('\n'),
);

/** Attributes of a record, known, none or unknown. */
export const attributes = fc.record(
  {
    'client.address': fc.constantFrom(
      ...ADDRESSES.filter((text) => !/[/-]/.test(text)),
      '198.18.0.5',
      '10.0.0.1',
      '203.0.113.9',
      null,
      'junk',
    ),
    'network.peer.address': fc.constantFrom('203.0.113.9', '198.18.0.1', '198.18.0.77', null),
    'http.request.header.x-forwarded-for': fc.constantFrom(
      ['198.18.0.5'],
      ['198.18.0.6, 203.0.113.7'],
      ['junk, 198.18.0.1', '203.0.113.8'],
      null,
    ),
    'http.request.header.host': fc.constantFrom(
      ['a.example'],
      ['a.example'],
      ['c.a.example'],
      ['c.a.example'],
      ['b.example'],
      ['single'],
      ['other.example'],
      null,
    ),
    'tls.client.server_name': fc.constantFrom('b.example', 'x.a.example'),
    'jade.inspected': fc.boolean(),
    'url.scheme': fc.constantFrom('https', 'http', null),
    'url.path': fc.constantFrom('/', '/a', '/a/b', '/A/B', '/login/x', '/a b', null),
    'url.query': fc.constantFrom('q=1', 'q=2&r=1', 'r=q', null),
    'http.request.method': fc.constantFrom('GET', 'POST', 'HEAD', 'CONNECT', null),
    'http.request.header.cookie': fc.constantFrom(['c=x'], ['b=1; c=y'], ['d=x'], null),
    'http.request.header.referer': fc.constantFrom(['https://c.a.example/x'], ['http://a.example'], null),
    'http.request.header.x-a': fc.constantFrom(['yes'], ['no', 'Yes'], null),
    'http.request.body.size': fc.constantFrom(0, 80, 443, 2000, null),
    'server.port': fc.constantFrom(80, 443, 8443, null),
    'http.response.size': fc.constantFrom(0, 700, 4000, 1_000_000, 9_007_199_254_740_991, null),
    'user_agent.original': fc.constantFrom('Fox/1 bot', 'Hen', 'fox', 'BOT', null),
    'user.name': fc.constantFrom('kari', 'ola', null),
  },
  { requiredKeys: ['url.path'] },
);

const base64 = (hex: string): string =>
  btoa(hex.replace(/../g, (digits) => String.fromCharCode(Number.parseInt(digits, 16))));
const TLS_HELLO = '16030100310100002d0303' + '00'.repeat(32) + '000002130101000002' + '0000';
const PAYLOADS = ['0102', '53', 'ff', TLS_HELLO, '5353482d322e302d61', '474554202f20485454502f312e310d0a0d0a'].map(
  base64,
);

/** Attributes of whole records: also of flows that are not HTTP. */
export const wideAttributes = fc.oneof(
  { weight: 2, arbitrary: attributes },
  fc
    .tuple(
      fc.record(
        {
          'jade.payload': fc.constantFrom(...PAYLOADS, 'no base64!', null),
          'network.transport': fc.constantFrom('tcp', 'UDP', 'icmp', null),
          'network.protocol.name': fc.constantFrom('tls', 'dns', null),
          'destination.address': fc.constantFrom('198.18.0.1', '2001:db8::1', '192.0.2.1', null),
          'server.address': fc.constantFrom('198.18.0.5', 'b.example', 'c.a.example', null),
          'jade.groups': fc.constantFrom(['staff'], ['guests', 'Staff'], [], null),
          'jade.all-headers': fc.boolean(),
          'url.full': fc.constantFrom('https://b.example/a/b?q=1', 'http://a.example:8443/login', 'junk', null),
          'http.request.size': fc.constantFrom(80, 1001, '443', null),
          'http.response.body.size': fc.constantFrom(0, 1000, null, -1),
          'jade.at-gate': fc.constantFrom('a', 'out', 'b', 'nowhere', null),
          'http.request.header.user-agent': fc.constantFrom(['Hen'], ['Fox/1 bot', 'Hen'], null),
        },
        { requiredKeys: [] },
      ),
      attributes,
      fc.subarray(['url.path', 'http.request.method', 'http.request.header.host', 'tls.client.server_name']),
    )
    .map(([wide, plain, without]) => {
      const all: Record<string, unknown> = { ...plain, ...wide };
      for (const name of without) delete all[name];
      return all;
    }),
);

/** Times around the end of summer time in Oslo, few enough that requests fall into one window. */
const timesUnixMs = fc
  .array(fc.oneof(fc.constantFrom(0, 0, 500, 1000, 2000), fc.constantFrom(60_000, 1_800_000, 3_600_000, 20_000_000)), {
    minLength: 1,
    maxLength: 14,
  })
  .chain((steps) =>
    fc.constantFrom('2026-10-24T19:30:00Z', '2026-10-25T00:00:00Z', '2026-10-23T08:00:00Z').map((start) => {
      let at = Date.parse(start);
      return steps.map((step) => (at += step));
    }),
  );

/** A log of few distinct requests, so that limits and holds come into play. */
const repeatingLogOf = <T>(item: fc.Arbitrary<T>) =>
  fc
    .tuple(
      timesUnixMs,
      fc.array(item, { minLength: 1, maxLength: 3 }),
      fc.array(fc.nat(5), { minLength: 14, maxLength: 14 }),
    )
    .map(([times, kinds, choices]) =>
      times.map((t, index) => ({ t, attributes: kinds[choices[index]! % kinds.length]! })),
    );

export const repeatingLog = repeatingLogOf(attributes);
export const wideRepeatingLog = repeatingLogOf(wideAttributes);
