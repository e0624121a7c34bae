/** The workload as it was frozen before there was a matcher: seeds, and what must come out of them. */
import { createHash } from 'node:crypto';
import { makePolicy, printPolicy, type BenchRule } from './policy.js';
import { formatCombined, generateRequests } from './requests.js';
import { makeScenery, type Scenery } from './fixtures.js';

const SCENERY_SEED = 1;
const REQUESTS_SEED = 2;
const POLICY_SEED = 3;
/** How many requests the checksum of the log is taken over. */
const CHECKED_REQUESTS = 100_000;

/** SHA-256 of the printed rules, and of the first lines of a log of 2,000,000 requests. */
const FROZEN: Readonly<Record<string, string>> = {
  'policy 200': '3ea90d18dc9b2c12349546a19db466b6c9697c5eef470118c29f609e71aa8abb',
  'policy 1000': 'b7133a09472778ca1f0bf0cf83a45cf953d42a610408eb2a3388601f75b07b10',
  'policy 5000': '3f9bbdc9b83f9af7435f28ef2a5a7b8e1fedc60a5a0e467834d1770f41520685',
  'log': '3d648b0f53f16dac8e874228b4430c608af7f1864ab4e73745a1aa3d9a0d91af',
};

export const FROZEN_REQUESTS = 2_000_000;
export type PolicySize = 200 | 1000 | 5000;

let scenery: Scenery | undefined;

export function frozenScenery(): Scenery {
  return (scenery ??= makeScenery(SCENERY_SEED));
}

/** Releases what requests and rules are made of, which would keep the garbage collector busy while something is measured. */
export function releaseFixtures(): void {
  scenery = undefined;
}

/** @throws Error where the generator does not make what it made when it was frozen */
export function frozenPolicy(numRules: PolicySize): { rules: BenchRule[]; fences: string } {
  const rules = makePolicy(frozenScenery(), POLICY_SEED, numRules);
  const fences = printPolicy(rules);
  check(`policy ${numRules}`, createHash('sha256').update(fences).digest('hex'));
  return { rules, fences };
}

/** @param count a log of another length has the same requests, closer together or farther apart */
export function frozenRequests(count = FROZEN_REQUESTS): ReturnType<typeof generateRequests> {
  return generateRequests(frozenScenery(), REQUESTS_SEED, count);
}

/** @throws Error where the log is not the one that was frozen */
export function checkFrozenLog(): void {
  const hash = createHash('sha256');
  let done = 0;
  for (const request of frozenRequests()) {
    hash.update(formatCombined(request));
    if (++done === CHECKED_REQUESTS) break;
  }
  check('log', hash.digest('hex'));
}

function check(name: string, sha256: string): void {
  if (sha256 !== FROZEN[name]) throw new Error(`The ${name} is not the frozen one: its SHA-256 is ${sha256}.`);
}
