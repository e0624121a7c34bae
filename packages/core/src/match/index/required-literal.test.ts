import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { compilePattern } from '../../reference/text-pattern.js';
import { requiredLiterals } from './required-literal.js';

describe('what a text must have to be matched', () => {
  it.each([
    ['\\.(php|js)$', [['.php', '.js']]],
    ['/(api|files)/.*942', [['/api/', '/files/'], ['942']]],
    ['^/admin/[a-z]+-\\d{3}$', [['/admin/'], ['-']]],
    ['ab?cde', [['a'], ['cde']]],
    ['(a|b)*long', [['long']]],
    ['x(a\\|b|c)+y', [['xa|b', 'xc'], ['y']]],
    ['(a.|b)c', [['c']]],
    ['(a|)b', [['ab', 'b']]],
    ['a|b', []],
    ['(?i)abc', []],
    ['[abc]', []],
  ])('%s: %j', (expression, sets) => expect(requiredLiterals(expression)).toEqual(sets));

  it('is in every text that an expression matches', () => {
    const piece = fc.constantFrom(
      'a',
      'b',
      '/',
      '\\.',
      '.',
      '[ab]',
      '(a|b/)',
      '(a|)',
      '(ab|b\\.)',
      '(a(b|c))',
      '\\d',
      '^',
      '$',
    );
    const expressions = fc
      .array(fc.tuple(piece, fc.constantFrom('', '', '', '?', '*', '+', '{0,2}', '{2}')), {
        minLength: 1,
        maxLength: 5,
      })
      .map((parts) => parts.map(([part, times]) => part + ('^$'.includes(part) ? '' : times)).join(''));
    const texts = fc
      .array(fc.constantFrom('a', 'b', 'c', '/', '.', '7', '|'), { maxLength: 9 })
      .map((all) => all.join(''));
    let numMatched = 0;
    fc.assert(
      fc.property(expressions, texts, (expression, text) => {
        const compiled = compilePattern(expression);
        const sets = requiredLiterals(expression);
        if (!('test' in compiled) || sets.length === 0 || !compiled.test(text)) return;
        numMatched += 1;
        expect(sets.every((literals) => literals.some((literal) => text.includes(literal)))).toBe(true);
      }),
      { numRuns: 20_000 },
    );
    expect(numMatched).toBeGreaterThan(1000);
  });
});
