/** Random fences over a small world, so that rules meet, lists nest and every truth value comes up. */
import fc from 'fast-check';

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
const TAGS = ['red', 'blue'];

const several = (values: readonly string[]): fc.Arbitrary<string> =>
  fc.uniqueArray(fc.constantFrom(...values), { minLength: 1, maxLength: 3 }).map((chosen) => chosen.join(', '));
const inOrNot = fc.constantFrom('in', 'not in');
const isOrNot = fc.constantFrom('=', '!=');
const PLAIN_DOMAINS = ['a.example', 'b.example', 'c.a.example'];

const comparison = fc.oneof(
  fc.tuple(inOrNot, several([...ADDRESSES, 'team', 'everyone'])).map(([word, values]) => `client ${word} ${values}`),
  fc.tuple(isOrNot, fc.constantFrom('198.18.0.1', '2001:db8::1')).map(([word, value]) => `client ${word} ${value}`),
  fc.tuple(inOrNot, several([...COUNTRIES, 'home'])).map(([word, values]) => `country ${word} ${values}`),
  fc.tuple(inOrNot, several([...DOMAINS, 'sites'])).map(([word, values]) => `host ${word} ${values}`),
  fc.tuple(isOrNot, fc.constantFrom(...PLAIN_DOMAINS)).map(([word, value]) => `host ${word} ${value}`),
  several(PLAIN_DOMAINS).map((values) => `host under ${values}`),
  several(PATHS).map((values) => `path under ${values}`),
  fc.tuple(inOrNot, several(PATHS)).map(([word, values]) => `path ${word} ${values}`),
  fc.tuple(inOrNot, several(METHODS)).map(([word, values]) => `method ${word} ${values}`),
  fc.tuple(isOrNot, fc.constantFrom(...TAGS)).map(([word, value]) => `tag ${word} ${value}`),
);

const condition: fc.Arbitrary<string> = fc.letrec<{ condition: string }>((tie) => ({
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

const action = fc.oneof(
  fc.constantFrom('allow', 'allow outright', 'block', 'block 451', 'observe'),
  several(TAGS).map((tags) => `tag ${tags}`),
);
const rule = fc.tuple(
  fc.constantFrom('', ' trial', ' off'),
  action,
  fc.oneof({ weight: 4, arbitrary: condition }, { weight: 1, arbitrary: fc.constant('always') }),
);
const ending = fc.constantFrom('continue', 'allow', 'block 410');

const fence = fc.tuple(fc.constantFrom('enforce', 'trial'), fc.array(rule, { minLength: 2, maxLength: 6 }), ending).map(
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
  'list team addresses { 198.18.0.0/29 except 198.18.0.2 }',
  'list everyone addresses { team, 2001:db8::/32 except 2001:db8::1 }',
  'list home countries { NO, SE }',
  'list sites domains { *.a.example, =b.example except c.a.example }',
].join('\n');

/** Gates that contend for one host: the entry with `=` is closer than the one without, wherever it stands. */
const CONTENDERS = [
  'gate deep inbound { hosts c.a.example fences three otherwise allow }',
  'gate exact inbound { hosts =c.a.example fences two otherwise block }',
].join('\n');

/** Fence text with lists, gates for a.example and b.example, and three fences. */
export const fenceText: fc.Arbitrary<string> = fc
  .tuple(
    fence,
    fence,
    fence,
    fc.constantFrom('allow', 'block'),
    fc.subarray(['one', 'two', 'three'], { minLength: 1 }),
    fc.constantFrom('', CONTENDERS),
  )
  .map(([one, two, three, otherwise, stack, contenders]) =>
    [
      LISTS,
      contenders,
      `gate a inbound { hosts a.example fences ${stack.join(', ')} otherwise ${otherwise} }`,
      'gate b inbound { hosts =b.example, single-list fences three otherwise allow }',
      'list single-list domains { "single" }',
      one('one'),
      two('two'),
      three('three'),
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
    'url.path': fc.constantFrom('/', '/a', '/a/b', '/login/x', '/a b', null),
    'http.request.method': fc.constantFrom('GET', 'POST', 'HEAD', null),
  },
  { requiredKeys: ['url.path'] },
);
