/** Random actions of rules. */
import fc from 'fast-check';

export const TAGS = ['red', 'blue'];

export const several = (values: readonly string[]): fc.Arbitrary<string> =>
  fc.uniqueArray(fc.constantFrom(...values), { minLength: 1, maxLength: 3 }).map((chosen) => chosen.join(', '));

const keys = fc.oneof(
  fc.constant('everyone'),
  several(['client', 'client exact', 'client /24 /32', 'method', 'path', 'user', 'agent', 'query "q"', 'country']),
);
const limit = fc
  .tuple(
    fc.integer({ min: 1, max: 3 }),
    fc.constantFrom('2s', '1m', '1h'),
    keys,
    fc.boolean(),
    fc.constantFrom('', ' for 3s', ' for 2h'),
  )
  .map(
    ([count, window, by, isAcross, hold]) =>
      `limit ${count} per ${window} by ${by}${isAcross ? ' across gates' : ''}${hold}`,
  );
const throttle = fc
  .tuple(
    fc.constantFrom('1/s', '3/s', '500/s', '1kB/s', '2MiB/s', '9007199254740/s'),
    fc.constantFrom('', '', ' up', ' down'),
    keys,
    fc.boolean(),
    fc.constantFrom('', '', ' burst 1', ' burst 1500', ' burst 9007199254740'),
  )
  .map(
    ([rate, way, by, isAcross, burst]) => `throttle ${rate}${way} by ${by}${isAcross ? ' across gates' : ''}${burst}`,
  );
export const action = fc.oneof(
  throttle,
  {
    arbitrary: fc.constantFrom(
      'allow',
      'allow outright',
      'block',
      'block 451',
      'observe',
      'redirect "https://b.example/"',
    ),
    weight: 2,
  },
  { arbitrary: limit, weight: 2 },
  fc.constantFrom('warn for 3s', 'challenge', 'passphrase door for 1m'),
  several(TAGS).map((tags) => `tag ${tags}`),
);
