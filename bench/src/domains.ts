import { DatasetReader } from '@jadefence/core/language';
import { HostTable } from '@jadefence/core/reference';
import { Random } from '@jadefence/demo';
import { heapAndBuffers, median, printTimes, timeRounds } from './measure.js';
import { writeDomains } from './write-domains.js';

const ENTRIES = 5_000_000;
const LOOK_UPS = 500_000;
const ROUNDS = 5;

/** Five million domains: memory, loading and lookups with all domains above a host, compared with a Set of the same entries. */
export async function benchDomains(): Promise<void> {
  const reader = new DatasetReader('domains');
  const startedMs = performance.now();
  for (const piece of writeDomains(ENTRIES)) reader.push(piece);
  const { buffer, report } = reader.end();
  const importSeconds = (performance.now() - startedMs) / 1000;
  const hosts = drawHosts();
  const beforeTable = heapAndBuffers();
  const loading: number[] = [];
  let table = new HostTable(buffer);
  for (let round = 0; round < ROUNDS; round += 1) {
    const startMs = performance.now();
    // A copy simulates the bytes as they come from the store.
    table = new HostTable(buffer.slice(0));
    loading.push((performance.now() - startMs) / 1000);
  }
  const tableBytes = heapAndBuffers() - beforeTable;
  const beforeSet = heapAndBuffers();
  const setStartedMs = performance.now();
  const set = new Set<string>();
  for (const piece of writeDomains(ENTRIES))
    for (const line of piece.toString('latin1').split('\n')) if (line) set.add(line);
  const setSeconds = (performance.now() - setStartedMs) / 1000;
  const setBytes = heapAndBuffers() - beforeSet;
  const inSet = (host: string): boolean => {
    if (set.has(host)) return true;
    for (let dot = host.indexOf('.'); dot >= 0; dot = host.indexOf('.', dot + 1))
      if (set.has(host.slice(dot + 1))) return true;
    return false;
  };
  const disagreeing = hosts.filter((host) => table.covers(host) !== inSet(host)).length;
  let match = 0;
  const times = await timeRounds(ROUNDS, {
    jadefence: () => {
      for (const host of hosts) if (table.covers(host)) match += 1;
    },
    Set: () => {
      for (const host of hosts) if (inSet(host)) match += 1;
    },
  });
  const entries = report.numEntries;
  process.stdout.write(
    `domains: ${entries.toLocaleString('en')} entries, ${LOOK_UPS.toLocaleString('en')} hosts (${Math.round((100 * match) / (2 * ROUNDS * LOOK_UPS))}% covered), ${ROUNDS} interleaved rounds\n`,
  );
  printTimes(times, LOOK_UPS, 'look-ups');
  const ratio = median(times['Set']!) / median(times['jadefence']!);
  process.stdout.write(
    `  ${ratio.toFixed(2)} times the Set (goal: 1.5); ${disagreeing} of ${LOOK_UPS.toLocaleString('en')} answers differ\n` +
      `  in memory ${(tableBytes / entries).toFixed(1)} bytes an entry (goal: at most 24), the Set ${(setBytes / entries).toFixed(1)}\n` +
      `  loading from the stored form median ${median(loading).toFixed(3)} s (${Math.min(...loading).toFixed(3)} to ${Math.max(...loading).toFixed(3)}; target 2 s), filling the Set ${setSeconds.toFixed(1)} s; reading the lines ${importSeconds.toFixed(1)} s\n`,
  );
}

/** Half of them entries or below one, as a log of visitors and a list of what they visit have. */
function drawHosts(): string[] {
  const random = new Random(7);
  const wanted = new Set(Array.from({ length: LOOK_UPS / 2 }, () => random.below(ENTRIES)));
  const hosts: string[] = [];
  let index = 0;
  for (const piece of writeDomains(ENTRIES))
    for (const line of piece.toString('latin1').split('\n')) {
      if (line === '') continue;
      if (wanted.has(index)) hosts.push(index % 2 === 0 ? line : `www.${line}`);
      index += 1;
    }
  while (hosts.length < LOOK_UPS)
    hosts.push(`cdn${random.below(1000)}.${random.below(0x7fffffff).toString(36)}.example`);
  for (let at = hosts.length - 1; at > 0; at -= 1) {
    const other = random.below(at + 1);
    [hosts[at], hosts[other]] = [hosts[other]!, hosts[at]!];
  }
  return hosts;
}
