/** `npm run bench [NAME ...]`: the named workloads, or all but the long ones. */
import { benchConsole } from './console.js';
import { benchCountry } from './country.js';
import { benchDomains } from './domains.js';
import { benchFeed } from './feed.js';
import { benchJudge } from './judge.js';
import { benchParse } from './parse.js';
import { benchReview } from './review.js';
import { benchAnswers } from './replay/bench-answers.js';
import { benchDecision } from './replay/bench-decision.js';
import { benchImport } from './replay/bench-import.js';
import { benchLimitAdvice } from './replay/bench-limit-advice.js';
import { benchLength } from './replay/bench-length.js';
import { benchMawk } from './replay/bench-mawk.js';
import { benchPages } from './replay/bench-pages.js';
import { benchRealLog } from './replay/bench-real-log.js';
import { benchReplay } from './replay/bench-replay.js';
import { benchService } from './replay/bench-service.js';
import { benchSql } from './replay/bench-sql.js';

const WORKLOADS: Record<string, () => Promise<void>> = {
  'parse': benchParse,
  'judge': benchJudge,
  'country': benchCountry,
  'domains': benchDomains,
  'feed': benchFeed,
  'import': benchImport,
  'real-log': benchRealLog,
  'replay': benchReplay,
  'decision': benchDecision,
  'length': benchLength,
  'mawk': benchMawk,
  'sql': benchSql,
};
/** Those that take long: only when they are requested. */
const LONG: Record<string, () => Promise<void>> = {
  'answers': benchAnswers,
  'console': benchConsole,
  'limit-advice': benchLimitAdvice,
  'pages': benchPages,
  'review': benchReview,
  'service': () => benchService(2_000_000),
  'service-20m': () => benchService(20_000_000),
};

const wanted = process.argv.slice(2);
const known = { ...WORKLOADS, ...LONG };
const unknown = wanted.filter((name) => !(name in known));
if (unknown.length > 0) {
  console.error(`There is no workload ${unknown.join(', ')}. The workloads are: ${Object.keys(known).join(', ')}.`);
  process.exit(2);
}
for (const [name, run] of Object.entries(known))
  if (wanted.length === 0 ? name in WORKLOADS : wanted.includes(name)) await run();
