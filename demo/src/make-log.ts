/** `node demo/dist/make-log.js [--requests N] [--seed N]`: writes an inbound log of any size to standard output. */
import { parseArgs } from 'node:util';
import { DEMO_LOG } from './demo-log.js';
import { generateInboundLog } from './inbound-log.js';
import { writeLines } from './write-log.js';

const { values } = parseArgs({ options: { requests: { type: 'string' }, seed: { type: 'string' } } });
const requests = Number(values.requests ?? DEMO_LOG.requests);
const seed = Number(values.seed ?? DEMO_LOG.seed);
if (!Number.isSafeInteger(requests) || requests < 1 || !Number.isSafeInteger(seed)) {
  console.error('Expected whole numbers: --requests N --seed N');
  process.exit(2);
}
process.stdout.on('error', () => process.exit(0));

function* texts(): Generator<string> {
  for (const { text } of generateInboundLog({ requests, seed })) yield text;
}
await writeLines(texts(), process.stdout);
