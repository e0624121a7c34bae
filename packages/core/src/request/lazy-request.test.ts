import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { wideAttributes } from '../test/arbitrary-fences.js';
import type { Attributes, AttributeValue } from './record.js';
import { LazyRequest, normalizeRequest, type Request } from './request.js';

const FIELDS_READ = [
  'httpDefault',
  'peer',
  'client',
  'host',
  'path',
  'method',
  'serverName',
  'isEncrypted',
  'atGate',
] as const satisfies readonly (keyof Request)[];

describe('a lazily read request', () => {
  it('equals one that is read as a whole, in any order of reading, and again after its attributes changed', () => {
    fc.assert(
      fc.property(
        fc.array(wideAttributes, { minLength: 1, maxLength: 4 }),
        fc.shuffledSubarray([...FIELDS_READ]),
        (all, order) => {
          const attributes: Record<string, AttributeValue | null | undefined> = {};
          const requested = new LazyRequest(attributes as Attributes);
          for (const next of all) {
            for (const name of Object.keys(attributes)) delete attributes[name];
            Object.assign(attributes, next);
            requested.invalidate();
            const whole = normalizeRequest({ line: 0, atUnixMs: 0, attributes: next as Attributes });
            for (const name of [...order, ...order]) expect([name, requested[name]]).toEqual([name, whole[name]]);
          }
        },
      ),
      { numRuns: 500 },
    );
  });
});
