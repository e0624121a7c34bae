import { checkFences } from '@jadefence/core/check';
import { parseFences, printFences } from '@jadefence/core/language';
import { median } from './measure.js';

const RULES = 10_000;
const ROUNDS = 5;

/** Fences with many rules of all kinds of conditions, the same each time. */
function writeRules(count: number): string {
  const conditions = [
    (n: number) => `client in 198.18.${n % 256}.0/24, 2001:db8:${(n % 65_536).toString(16)}::/48`,
    (n: number) => `country not in NO, SE, no-country and path under /area/${n}`,
    (n: number) => `host under h${n}.shop.example or host in *.p${n}.example, =s${n}.example`,
    (n: number) => `agent contains anycase "bot ${n}" and not header "x-key" present`,
    (n: number) => `path matches "^/v${n}/[a-z]+$" or path like "/x${n}/*/export"`,
  ];
  const actions = ['allow', 'block', 'block 451', 'tag seen', 'limit 20 per 5m by client, path for 10m'];
  const rules = Array.from(
    { length: count },
    (_, n) => `  rule r${n} ${actions[n % actions.length]} when ${conditions[n % conditions.length]!(n)}`,
  );
  return `gate shop inbound { hosts shop.example fences all otherwise allow }\nfence all enforce {\n${rules.join('\n')}\n}\n`;
}

/** How long 10,000 rules take to read, to check and to print. */
export async function benchParse(): Promise<void> {
  const text = writeRules(RULES);
  const seconds = { parse: [] as number[], check: [] as number[], print: [] as number[] };
  const time = (into: number[], work: () => void): void => {
    const startedMs = performance.now();
    work();
    into.push((performance.now() - startedMs) / 1000);
  };
  for (let round = 0; round < ROUNDS; round += 1) {
    const { file } = parseFences(text, 'bench.fence');
    time(seconds.parse, () => parseFences(text, 'bench.fence'));
    time(seconds.check, () => checkFences([{ path: 'bench.fence', text }], []));
    time(seconds.print, () => printFences(file));
  }
  process.stdout.write(
    `parse: ${RULES.toLocaleString('en')} rules, ${text.length.toLocaleString('en')} characters, ${ROUNDS} rounds\n`,
  );
  for (const [name, values] of Object.entries(seconds)) {
    const [least, most] = [Math.min(...values), Math.max(...values)];
    process.stdout.write(
      `  ${name.padEnd(6)} median ${median(values).toFixed(3)} s (${least.toFixed(3)} to ${most.toFixed(3)})\n`,
    );
  }
}
