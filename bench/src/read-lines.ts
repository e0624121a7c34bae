/** The reference for `judge`: reads a file line by line with Node's own readline, and does nothing with the lines. */
import { createReadStream } from 'node:fs';
import { createInterface } from 'node:readline';

let lines = 0;
for await (const _line of createInterface({ input: createReadStream(process.argv[2]!), crlfDelay: Infinity }))
  lines += 1;
process.stdout.write(`${lines}\n`);
