/** `npm run bench [NAME ...]`: the named workloads, or all of them. */
import { benchCountry } from './country.js';
import { benchDomains } from './domains.js';
import { benchFeed } from './feed.js';
import { benchJudge } from './judge.js';
import { benchParse } from './parse.js';
import { benchDecision } from './replay/bench-decision.js';
import { benchImport } from './replay/bench-import.js';
import { benchReplay } from './replay/bench-replay.js';

const WORKLOADS: Record<string, () => Promise<void>> = {
  parse: benchParse,
  judge: benchJudge,
  country: benchCountry,
  domains: benchDomains,
  feed: benchFeed,
  import: benchImport,
  replay: benchReplay,
  decision: benchDecision,
};

const wanted = process.argv.slice(2);
const unknown = wanted.filter((name) => !(name in WORKLOADS));
if (unknown.length > 0) {
  console.error(`There is no workload ${unknown.join(', ')}. The workloads are: ${Object.keys(WORKLOADS).join(', ')}.`);
  process.exit(2);
}
for (const [name, run] of Object.entries(WORKLOADS)) if (wanted.length === 0 || wanted.includes(name)) await run();
