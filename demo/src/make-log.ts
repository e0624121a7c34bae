/** `npm run -s demo -- make-log [--requests N] [--seed N] [--outbound]`: writes a log of any size to standard output. */
import { parseArgs } from 'node:util';
import { DEMO_LOG, DEMO_OUTBOUND_LOG } from './demo-log.js';
import { generateInboundLog } from './inbound-log.js';
import { generateOutboundLog } from './outbound-log.js';
import { writeLines } from './write-log.js';

const { values } = parseArgs({
  options: { requests: { type: 'string' }, seed: { type: 'string' }, outbound: { type: 'boolean' } },
});
const standard = values.outbound ? DEMO_OUTBOUND_LOG : DEMO_LOG;
const requests = Number(values.requests ?? standard.requests);
const seed = Number(values.seed ?? standard.seed);
if (!Number.isSafeInteger(requests) || requests < 1 || !Number.isSafeInteger(seed)) {
  console.error('Expected whole numbers: --requests N --seed N');
  process.exit(2);
}
process.stdout.on('error', () => process.exit(0));

function* texts(): Generator<string> {
  for (const { text } of values.outbound
    ? generateOutboundLog({ requests, seed })
    : generateInboundLog({ requests, seed }))
    yield text;
}
await writeLines(texts(), process.stdout);
