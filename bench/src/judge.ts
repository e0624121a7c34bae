import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { writeInboundLog } from '@jadefence/demo';
import { measureInterleaved, median, type Candidate } from './measure.js';
import { ROOT } from './root.js';

const ROUNDS = 5;
const REQUESTS = 194_603;

/** `judge` compared with plain reading of the lines in Node and `wc -l`, on one generated log of 200,000 lines. */
export async function benchJudge(): Promise<void> {
  const folder = join(ROOT, '.jadefence', 'bench');
  mkdirSync(folder, { recursive: true });
  const log = join(folder, 'inbound-200k.log');
  const { lines } = await writeInboundLog({ requests: REQUESTS, seed: 200_000 }, log, `${log}.labels`);
  const jadefence = [join(ROOT, 'packages/cli/dist/jadefence.mjs')];
  const candidates: Candidate[] = [
    {
      name: 'jadefence judge',
      command: process.execPath,
      args: [
        ...jadefence,
        'judge',
        log,
        '--fences',
        join(ROOT, 'demo/fences'),
        '--country-table',
        join(ROOT, 'demo/data/countries.csv'),
      ],
    },
    { name: 'Node readline', command: process.execPath, args: [join(ROOT, '.jadefence/bench/read-lines.mjs'), log] },
    { name: 'wc -l', command: 'wc', args: ['-l', log] },
    { name: 'jadefence --version', command: process.execPath, args: [...jadefence, '--version'] },
    { name: 'node -e 0', command: process.execPath, args: ['-e', '0'] },
  ];
  const results = await measureInterleaved(candidates, ROUNDS);
  process.stdout.write(
    `judge: ${lines.toLocaleString('en')} lines of NCSA combined, ${ROUNDS} interleaved rounds, start of the process included\n`,
  );
  for (const { name, seconds, peakBytes } of results) {
    const middle = median(seconds);
    const isReader = !name.includes('--version') && name !== 'node -e 0';
    const rate = isReader
      ? `${Math.round(lines / middle)
          .toLocaleString('en')
          .padStart(11)} lines/s`
      : ''.padStart(19);
    process.stdout.write(
      `  ${name.padEnd(20)} median ${middle.toFixed(3)} s (${Math.min(...seconds).toFixed(3)} to ${Math.max(...seconds).toFixed(3)})  ${rate}  peak ${(peakBytes / 1_048_576).toFixed(0)} MB\n`,
    );
  }
  const [judge, readline, wc, version, bare] = results.map(({ seconds }) => median(seconds)) as [
    number,
    number,
    number,
    number,
    number,
  ];
  process.stdout.write(
    `  judge takes ${(judge / readline).toFixed(1)} times as long as Node readline and ${(judge / wc).toFixed(0)} times as long as wc -l; the client starts ${(version - bare).toFixed(2)} s after the interpreter\n`,
  );
}
