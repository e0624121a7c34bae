import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { compileLike, compilePattern, foldAsciiCase } from './text-pattern.js';

describe('a like pattern', () => {
  it('covers a text exactly where the same pattern as a regular expression does', () => {
    const letters = fc.constantFrom('a', 'b', '.', '/', '🦊');
    const text = fc.array(letters, { maxLength: 12 }).map((parts) => parts.join(''));
    const pattern = fc
      .array(fc.oneof(letters, fc.constantFrom('*', '?')), { maxLength: 8 })
      .map((parts) => parts.join(''));
    let numCovered = 0;
    fc.assert(
      fc.property(pattern, text, (wanted, given) => {
        const source = wanted
          .replace(/[.\\+^${}()|[\]]/g, '\\$&')
          .replaceAll('*', '[^]*')
          .replaceAll('?', '[^]');
        const expected = new RegExp(`^${source}$`, 'u').test(given);
        if (expected) numCovered += 1;
        expect(compileLike(wanted)(given)).toBe(expected);
      }),
      { numRuns: 4000, seed: 1128 },
    );
    expect(numCovered).toBeGreaterThan(200);
  });
});

describe('an expression', () => {
  it.each<[string, string, boolean]>([
    ['^/v[0-9]+/', '/v12/x', true],
    ['^/v[0-9]+/', '/V12/x', false],
    ['(?i)probe', 'A PROBE', true],
    ['b$', 'ab', true],
    ['^b', 'ab', false],
    ['\\p{Greek}', 'λ', true],
  ])('%s searches %s: %s', (pattern, text, expected) => {
    const compiled = compilePattern(pattern);
    expect('test' in compiled && compiled.test(text)).toBe(expected);
  });

  it.each([
    ['(.)\\1', 'references back to a group cannot be searched in linear time'],
    ['a(?!b)', 'looking ahead or behind cannot be searched in linear time'],
    ['(?<=a)b', 'looking ahead or behind cannot be searched in linear time'],
    ['a{1001}', 'invalid repeat count: `{1001}`'],
    ['(ab', 'missing closing ): `(ab`'],
    ['a'.repeat(1001), 'it has 1001 characters, and 1000 are allowed'],
  ])('%s is refused with the reason', (pattern, problem) => expect(compilePattern(pattern)).toEqual({ problem }));

  it('that would take too many steps a character is refused', () =>
    expect(compilePattern('(a?){900}(b?){900}')).toEqual({
      problem: expect.stringMatching(/^it takes \d+ steps a character, and 2000 are allowed$/),
    }));

  it('whose search would never end in a backtracking engine ends', () => {
    const compiled = compilePattern('^(a+)+$');
    expect('test' in compiled && compiled.test(`${'a'.repeat(5000)}b`)).toBe(false);
  });
});

it('folding changes ASCII letters only', () => expect(foldAsciiCase('ÆrLIG Bot İ')).toBe('Ærlig bot İ'));
