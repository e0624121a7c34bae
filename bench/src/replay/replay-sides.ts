/** The two sides of `replay`, each run by `bench-replay.ts` in its own process: the two loops, or ours. */
import { COMMON_COLUMNS } from '@jadefence/core/columns';
import { Program } from '@jadefence/core/match';
import { Stages } from '../measure.js';
import { serveSide } from '../subprocess.js';
import { frozenJudge, frozenWorld, replayChunks, replayStored } from './replay-engine.js';
import { releaseFixtures, frozenPolicy, frozenRequests, frozenScenery, type PolicySize } from './pinned-workload.js';
import { createMemoised } from './memoized-loop.js';
import { createPlain } from './naive-loop.js';
import { createReferenceData } from './reference-data.js';
import { formatCombined, type BenchRequest } from './requests.js';
import { importCombined, readChunks } from './stored-log.js';

const [side, size, numRequests, numPlain] = process.argv.slice(2) as [string, string, string, string];
if (side === 'loops') serveLoops(Number(size) as PolicySize, Number(numRequests), Number(numPlain));
else serveOurs(Number(size) as PolicySize, Number(numRequests));

/** @param numPlain the naive loop judges so many of the requests */
function serveLoops(size: PolicySize, numRequests: number, numPlain: number): void {
  const requests: BenchRequest[] = [];
  for (const request of frozenRequests()) if (requests.push(request) === numRequests) break;
  const { rules } = frozenPolicy(size);
  const data = createReferenceData(frozenScenery());
  const run = (decide: (request: BenchRequest) => unknown, count: number): void => {
    for (let index = 0; index < count; index += 1) decide(requests[index]!);
  };
  serveSide({
    begin: () => undefined,
    plain: () => run(createPlain(rules, data), numPlain),
    memoised: () => run(createMemoised(rules, data), numRequests),
  });
}

function serveOurs(size: PolicySize, numRequests: number): void {
  const lines: Buffer[] = [];
  for (const request of frozenRequests()) if (lines.push(Buffer.from(formatCombined(request))) === numRequests) break;
  const stored = importCombined(Buffer.concat(lines));
  const context = frozenJudge(size, frozenWorld());
  releaseFixtures();
  const inMemory = [...readChunks(stored, new Set([...new Program(context).attributes, ...COMMON_COLUMNS]))];
  const stages = new Stages();
  serveSide({
    'begin': () => undefined,
    'stored': () => replayStored(context, stored, stages),
    'in memory': () => replayChunks(context, inMemory),
    'stages': () => stages.textOf('a replay from the store'),
  });
}
