import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { fenceText } from '../test/arbitrary-fences.js';
import { parseFences } from './parser.js';
import { joinParts, splitIntoParts } from './parts.js';
import { printFences } from './printer.js';
import type { FenceFile } from './tree.js';

/** A tree without its places, which are all that printing may change. */
function withoutPlaces(file: FenceFile): unknown {
  return JSON.parse(
    JSON.stringify(file, (key, value: unknown) =>
      key === 'place' ? undefined : typeof value === 'bigint' ? `${value}` : value,
    ),
  );
}

describe('printing', () => {
  it('is undone by parsing, and printing twice changes nothing', () => {
    fc.assert(
      fc.property(fenceText, (text) => {
        const { file, diagnostics } = parseFences(text, 'f.fence');
        expect(diagnostics).toEqual([]);
        const printed = printFences(file);
        const again = parseFences(printed, 'f.fence').file;
        expect(withoutPlaces(again)).toEqual(withoutPlaces(file));
        expect(printFences(again)).toBe(printed);
      }),
      { numRuns: 300 },
    );
  });

  it('in parts and joining the parts again changes nothing', () => {
    fc.assert(
      fc.property(fenceText, (text) => {
        const { file } = parseFences(text, 'f.fence');
        expect(printFences(joinParts(splitIntoParts([file]), 'f.fence'))).toBe(printFences(file));
      }),
      { numRuns: 50 },
    );
  });

  it('writes a long list one entry a line', () => {
    const domains = Array.from({ length: 12 }, (_, index) => `shop-${index}.example`).join(', ');
    expect(
      printFences(parseFences(`list shops domains "Shops" { ${domains} except *.shop-1.example }`, 'f.fence').file),
    ).toMatch(
      /^list shops domains "Shops" \{\n {2}shop-0\.example,\n[^]*shop-11\.example\n {2}except\n {2}\*\.shop-1\.example\n\}\n$/,
    );
  });
});
