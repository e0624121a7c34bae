import { Matcher, CounterStore, Program } from '@jadefence/core/match';
import { normalizeRequest, type LogRecord } from '@jadefence/core/request';
import { frozenJudge, frozenWorld } from './replay-engine.js';
import { checkFrozenLog, frozenPolicy, frozenRequests, frozenScenery } from './pinned-workload.js';
import { createMemoised } from './memoized-loop.js';
import { createPlain } from './naive-loop.js';
import { createReferenceData } from './reference-data.js';
import type { BenchRequest } from './requests.js';

const RULES = 5000;
/** Warm-up, as in a service that has run for a while: caches are filled and code is compiled. */
const WARM_REQUESTS = 12_000;
const REQUESTS = 3000;
/** Each side has so many before the next has its turn: one at a time, each would find its memory taken by the others. */
const TURN = 1500;

/** How long one request takes by itself, with 5,000 rules. */
export async function benchDecision(): Promise<void> {
  checkFrozenLog();
  const requests: BenchRequest[] = [];
  for (const request of frozenRequests()) if (requests.push(request) === WARM_REQUESTS + REQUESTS) break;
  const { rules } = frozenPolicy(RULES);
  const data = createReferenceData(frozenScenery());
  const matcher = new Matcher(new Program(frozenJudge(RULES, frozenWorld())), new CounterStore());
  const deciders: Record<string, (request: BenchRequest) => unknown> = {
    plain: createPlain(rules, data),
    memoised: createMemoised(rules, data),
    matcher: (request) => matcher.judge(normalizeRequest(recordOf(request))),
  };
  process.stdout.write(`decision: one request at a time, ${RULES.toLocaleString('en')} rules\n`);
  const times: Record<string, number[]> = { plain: [], memoised: [], matcher: [] };
  for (let start = 0; start < requests.length; start += TURN)
    for (const [name, decide] of Object.entries(deciders))
      for (const request of requests.slice(start, start + TURN)) {
        const startedMs = performance.now();
        decide(request);
        if (start >= WARM_REQUESTS) times[name]!.push((performance.now() - startedMs) * 1000);
      }
  const percentile = (name: string, share: number): number =>
    times[name]!.toSorted((a, b) => a - b)[Math.floor(times[name]!.length * share)]!;
  for (const name of Object.keys(times))
    process.stdout.write(
      `  ${name.padEnd(10)} p50 ${percentile(name, 0.5).toFixed(0)} us, p99 ${percentile(name, 0.99).toFixed(0)} us\n`,
    );
  const share = (name: string): string => (percentile('matcher', 0.99) / percentile(name, 0.99)).toFixed(3);
  process.stdout.write(
    `  p99 is ${share('plain')} of plain's (goal: 0.01) and ${share('memoised')} of memoised's (goal: 0.333)\n`,
  );
}

function recordOf({ atUnixMs, client, host, method, path, query, agent }: BenchRequest): LogRecord {
  return {
    line: 1,
    atUnixMs,
    attributes: {
      'client.address': client,
      'http.request.header.host': [host],
      'http.request.method': method,
      'url.path': path,
      'url.query': query || null,
      'user_agent.original': agent,
    },
  };
}
