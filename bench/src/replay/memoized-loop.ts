/**
 * *Memoised*: what a good engineer writes on a free day. A Map from each distinct value of a column to a bit mask of the
 * rules that the value satisfies; a request is the and of its masks, lowest bit first.
 */
import { createTest, ExactLimit, type Decide } from './naive-loop.js';
import type { BenchRule, Part } from './policy.js';
import type { ReferenceData } from './reference-data.js';
import type { BenchRequest } from './requests.js';

const COLUMNS = ['client', 'host', 'path', 'agent', 'method'] as const;
type Column = (typeof COLUMNS)[number];
const COLUMN_OF: Record<Part['kind'], Column> = {
  'country': 'client',
  'client': 'client',
  'host': 'host',
  'category': 'host',
  'path': 'path',
  'path-matches': 'path',
  'agent-matches': 'agent',
  'agent-contains': 'agent',
  'method': 'method',
};

export function createMemoised(rules: readonly BenchRule[], data: ReferenceData): Decide {
  const numWords = Math.ceil(rules.length / 32);
  const limits = rules.map(({ action }) =>
    typeof action === 'string' ? undefined : new ExactLimit(action.count, action.windowMs),
  );
  const columns = COLUMNS.map((column) => {
    const tests = rules.map(({ parts }) =>
      parts.filter((part) => COLUMN_OF[part.kind] === column).map((part) => createTest(part, data)),
    );
    const masks = new Map<string, Uint32Array>();
    return (request: BenchRequest): Uint32Array => {
      const value = request[column];
      let mask = masks.get(value);
      if (!mask) {
        mask = new Uint32Array(numWords);
        for (let rule = 0; rule < tests.length; rule += 1)
          if (tests[rule]!.every((test) => test(request))) mask[rule >>> 5]! |= 1 << (rule & 31);
        masks.set(value, mask);
      }
      return mask;
    };
  });
  return (request) => {
    const [a, b, c, d, e] = columns.map((column) => column(request)) as [
      Uint32Array,
      Uint32Array,
      Uint32Array,
      Uint32Array,
      Uint32Array,
    ];
    for (let word = 0; word < numWords; word += 1) {
      let bits = a[word]! & b[word]! & c[word]! & d[word]! & e[word]!;
      while (bits !== 0) {
        const rule = word * 32 + 31 - Math.clz32(bits & -bits);
        const limit = limits[rule];
        if (!limit || limit.trips(request.client, request.atUnixMs)) return rule;
        bits &= bits - 1;
      }
    }
    return -1;
  };
}
