/** `judge` on a raw file compared with mawk with six of its rules. */
import { execFileSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { measureInterleaved, median, type Candidate } from '../measure.js';
import { ROOT } from '../root.js';
import { frozenPolicy, frozenRequests, frozenScenery } from './pinned-workload.js';
import { printPolicy, type BenchRule } from './policy.js';
import { formatCombined } from './requests.js';
import { formatIpv4 } from './fixtures.js';

const ROUNDS = 5;
const REQUESTS = 500_000;
const NUM_RULES = 6;

export async function benchMawk(): Promise<void> {
  const folder = join(ROOT, '.jadefence', 'bench');
  mkdirSync(folder, { recursive: true });
  const file = (name: string, text: string): string => {
    const path = join(folder, name);
    writeFileSync(path, text);
    return path;
  };
  const { rules, fences } = frozenPolicy(200);
  const six = rules.filter(isSimple).slice(0, NUM_RULES);
  const log = file('frozen.log', firstLines());
  const { countries, categories } = frozenScenery();
  const reference = [
    '--country-table',
    file(
      'countries.csv',
      countries.map(({ first, last, country }) => `${formatIpv4(first)},${formatIpv4(last)},${country}\n`).join(''),
    ),
    '--category-feed',
    file('categories.csv', categories.map(([domain, category]) => `${domain},${category}\n`).join('')),
  ];
  const judge = (name: string, args: readonly string[]): Candidate => ({
    name,
    command: process.execPath,
    args: [join(ROOT, 'packages/cli/dist/jadefence.mjs'), 'judge', log, '--output', 'json', ...args],
  });
  const ofSix = judge('judge, six rules', ['--fences', file('six.fence', printPolicy(six))]);
  const mawk: Candidate = {
    name: 'mawk, six rules',
    command: 'mawk',
    args: ['-f', file('six.awk', mawkProgram(six)), log],
  };
  process.stdout.write(
    `mawk: ${REQUESTS.toLocaleString('en')} lines of the frozen log, start of the process included\n`,
  );
  reportAgreement(ofSix, mawk, six);
  const all = judge('judge, 200 rules', ['--fences', file('frozen.fence', fences), ...reference]);
  const results = await measureInterleaved([all, ofSix, mawk], ROUNDS);
  const rates = results.map(({ name, seconds, peakBytes }) => {
    const rate = REQUESTS / median(seconds);
    process.stdout.write(
      `  ${name.padEnd(18)} median ${median(seconds).toFixed(2)} s (${Math.min(...seconds).toFixed(2)} to ${Math.max(...seconds).toFixed(2)})  ${Math.round(rate).toLocaleString('en').padStart(9)} lines/s  peak ${(peakBytes / 1_048_576).toFixed(0)} MB\n`,
    );
    return rate;
  });
  const [ours, oursOfSix, theirs] = rates as [number, number, number];
  process.stdout.write(
    `  judge with 200 rules has ${(ours / theirs).toFixed(2)} times the lines/s of mawk with six (goal: 0.7), with the same six ${(oursOfSix / theirs).toFixed(2)}\n`,
  );
}

function firstLines(): string {
  const lines: string[] = [];
  for (const request of frozenRequests()) {
    lines.push(formatCombined(request));
    if (lines.length === REQUESTS) break;
  }
  return lines.join('');
}

/** What a script of a few lines can test: hosts, paths and methods. */
function isSimple({ parts, action }: BenchRule): boolean {
  return (
    typeof action === 'string' && parts.every(({ kind }) => kind === 'host' || kind === 'path' || kind === 'method')
  );
}

/** Counts the requests that each rule decides. */
function mawkProgram(rules: readonly BenchRule[]): string {
  const begin: string[] = [];
  const tests = rules.map(({ name, parts }, index) => {
    const tests = parts.map((part, place) => {
      const list = `l${index}_${place}`;
      const fill = (values: readonly string[]): void => {
        for (const value of values) begin.push(`  ${list}[${JSON.stringify(value)}]`);
      };
      if (part.kind === 'host') {
        fill(part.domains);
        return `under_host(${list})`;
      }
      if (part.kind === 'path') {
        fill(part.prefixes);
        return `under_path(${list})`;
      }
      if (part.kind === 'method') fill(part.names);
      return `(method in ${list})`;
    });
    return `${index === 0 ? '' : 'else '}if (${tests.join(' && ')}) decided[${JSON.stringify(name)}]++`;
  });
  return `
function under_host(list,   rest, dot) {
  rest = host
  for (;;) {
    if (rest in list) return 1
    dot = index(rest, ".")
    if (dot == 0) return 0
    rest = substr(rest, dot + 1)
  }
}
function under_path(list,   rest) {
  rest = path
  for (;;) {
    if (rest in list) return 1
    if (!match(rest, /\\/[^\\/]*$/) || RSTART == 1) return 0
    rest = substr(rest, 1, RSTART - 1)
  }
}
BEGIN {
${begin.join('\n')}
}
{
  host = $1
  method = substr($7, 2)
  path = $8
  mark = index(path, "?")
  if (mark > 0) path = substr(path, 1, mark - 1)
  ${tests.join('\n  ')}
}
END { for (name in decided) print name, decided[name] }
`;
}

/** @throws Error naming the first rule that decides another number of requests */
function reportAgreement(judge: Candidate, mawk: Candidate, rules: readonly BenchRule[]): void {
  const read = ({ command, args }: Candidate): string =>
    execFileSync(command, args, { encoding: 'utf8', stdio: ['ignore', 'pipe', 'ignore'], maxBuffer: 1e9 });
  const theirs = new Map(
    read(mawk)
      .trim()
      .split('\n')
      .map((line) => line.split(' ') as [string, string]),
  );
  const summary = JSON.parse(read(judge)) as { fences: { rules: { rule: string; decided: number }[] }[] };
  const ours = new Map(summary.fences.flatMap((fence) => fence.rules.map(({ rule, decided }) => [rule, decided])));
  for (const { name } of rules)
    if (ours.get(name) !== Number(theirs.get(name) ?? 0))
      throw new Error(`Rule ${name} decides ${ours.get(name)} requests, and ${theirs.get(name)} by mawk.`);
  const decided = [...ours.values()].reduce((sum, requests) => sum + requests, 0);
  process.stdout.write(`  both decide ${decided.toLocaleString('en')} requests by the same six rules\n`);
}
