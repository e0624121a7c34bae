/** `npm run -s demo -- make-log [--requests N] [--seed N] [--outbound | --edge]`: writes a log of any size to standard output. */
import { parseArgs } from 'node:util';
import { DEMO_EDGE_LOG, DEMO_LOG, DEMO_OUTBOUND_LOG } from './demo-log.js';
import { generateEdgeLog } from './edge-log.js';
import { generateInboundLog } from './inbound-log.js';
import { generateOutboundLog } from './outbound-log.js';
import { writeLines } from './write-log.js';

const { values } = parseArgs({
  options: {
    requests: { type: 'string' },
    seed: { type: 'string' },
    outbound: { type: 'boolean' },
    edge: { type: 'boolean' },
  },
});
const [standard, generate] = values.edge
  ? [DEMO_EDGE_LOG, generateEdgeLog]
  : values.outbound
    ? [DEMO_OUTBOUND_LOG, generateOutboundLog]
    : [DEMO_LOG, generateInboundLog];
const requests = Number(values.requests ?? standard.requests);
const seed = Number(values.seed ?? standard.seed);
if (!Number.isSafeInteger(requests) || requests < 1 || !Number.isSafeInteger(seed)) {
  console.error('Expected whole numbers: --requests N --seed N');
  process.exit(2);
}
process.stdout.on('error', () => process.exit(0));

function* texts(): Generator<string> {
  for (const { text } of generate({ requests, seed })) yield text;
}
await writeLines(texts(), process.stdout);
