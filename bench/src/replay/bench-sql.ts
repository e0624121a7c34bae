/** A replay from the store compared with one SQL statement with ten of its rules, over the same requests in PostgreSQL. */
import pg from 'pg';
import { startCluster } from '../../../scripts/lib/cluster.mjs';
import { findPostgres } from '../../../scripts/lib/install.mjs';
import { onInterrupt } from '../../../scripts/lib/run.mjs';
import { median, printTimes, timeRounds } from '../measure.js';
import { Side } from '../subprocess.js';
import { checkFrozenLog, frozenPolicy, frozenRequests, frozenScenery } from './pinned-workload.js';
import { createPlain } from './naive-loop.js';
import type { BenchRule, Part } from './policy.js';
import { createReferenceData } from './reference-data.js';
import type { BenchRequest } from './requests.js';
import { formatIpv4 } from './fixtures.js';

const ROUNDS = 5;
/** The statement takes its time, so it is given fewer requests. */
const REPLAYED = 1_000_000;
const NUM_REQUESTS = 200_000;
const NUM_RULES = 10;
const ROWS_AT_ONCE = 20_000;

export async function benchSql(): Promise<void> {
  checkFrozenLog();
  const requests: BenchRequest[] = [];
  for (const request of frozenRequests()) if (requests.push(request) === NUM_REQUESTS) break;
  const ours = new Side(new URL('./replay-sides.ts', import.meta.url), ['ours', '200', `${REPLAYED}`]);
  await ours.do('begin');
  const ten = tenOf(frozenPolicy(200).rules);
  const cluster = await startCluster({ name: 'bench-postgres', bin: await findPostgres(), isDurable: true });
  onInterrupt(() => cluster.stop());
  const client = new pg.Client({ connectionString: cluster.urlOf('postgres') });
  try {
    await client.connect();
    await fill(client, requests);
    const statement = statementOf(ten);
    process.stdout.write(
      `sql: a replay of ${REPLAYED.toLocaleString('en')} requests from the store, 200 rules with limits, one thread, compared with one statement with ${NUM_RULES} of the rules over ${NUM_REQUESTS.toLocaleString('en')}, ${ROUNDS} interleaved rounds\n`,
    );
    let rows: { line: number; rule: number }[] = [];
    const times = await timeRounds(ROUNDS, {
      stored: () => ours.do('stored'),
      statement: async () => void ({ rows } = await client.query<{ line: number; rule: number }>(statement)),
    });
    printTimes({ stored: times['stored']! }, REPLAYED, 'requests');
    printTimes({ statement: times['statement']! }, NUM_REQUESTS, 'requests');
    const ratio = REPLAYED / median(times['stored']!) / (NUM_REQUESTS / median(times['statement']!));
    process.stdout.write(`  stored: ${ratio.toFixed(0)} times the statement (goal: 100)\n`);
    reportAgreement(ten, requests, rows);
    process.stdout.write(await ours.do<string>('stages'));
  } finally {
    ours.end();
    await client.query('drop schema if exists bench cascade').catch(() => undefined);
    await client.end();
    await cluster.stop();
  }
}

/** The first rules that test different fields, so that the statement tests every field. */
function tenOf(rules: readonly BenchRule[]): BenchRule[] {
  const byKinds = new Map<string, BenchRule>();
  for (const rule of rules) {
    const kinds = rule.parts.map(({ kind }) => kind).join();
    if (typeof rule.action === 'string' && !byKinds.has(kinds)) byKinds.set(kinds, rule);
  }
  return [...byKinds.values()].slice(0, NUM_RULES);
}

/** Requests with the domains above their hosts, and what rules look up, indexed and analysed. */
async function fill(client: pg.Client, requests: readonly BenchRequest[]): Promise<void> {
  await client.query(`
    drop schema if exists bench cascade; create schema bench; set search_path to bench;
    create table requests (line int primary key, client inet, host text, suffixes text[], method text, path text, agent text);
    create table countries (first inet, last inet, country text);
    create table categories (domain text, category text);`);
  await insert(
    client,
    'requests',
    ['int', 'inet', 'text', 'text[]', 'text', 'text', 'text'],
    requests,
    (request, line) => {
      const { client: address, host, method, path, agent } = request;
      return [line, address, host, `{${suffixesOf(host).join(',')}}`, method, path, agent];
    },
  );
  const { countries, categories } = frozenScenery();
  await insert(client, 'countries', ['inet', 'inet', 'text'], countries, ({ first, last, country }) => [
    formatIpv4(first),
    formatIpv4(last),
    country,
  ]);
  await insert(client, 'categories', ['text', 'text'], categories, ([domain, category]) => [domain, category]);
  await client.query(`
    create index on countries (first); create unique index on categories (domain); create index on requests (path text_pattern_ops);
    create index on requests using gist (client inet_ops); create index on requests using gin (suffixes);
    analyze requests; analyze countries; analyze categories; set jit = off; set max_parallel_workers_per_gather = 0;`);
}

function suffixesOf(host: string): string[] {
  const labels = host.split('.');
  return labels.map((_, index) => labels.slice(index).join('.'));
}

/** @param types of the columns, in the order of `toRow` */
async function insert<T>(
  client: pg.Client,
  table: string,
  types: readonly string[],
  items: readonly T[],
  toRow: (item: T, index: number) => (string | number)[],
): Promise<void> {
  const given = types.map((_, column) => `$${column + 1}::text[]`);
  const cast = types.map((type, column) => `c${column}::${type}`);
  const names = types.map((_, column) => `c${column}`);
  for (let start = 0; start < items.length; start += ROWS_AT_ONCE) {
    const rows = items.slice(start, start + ROWS_AT_ONCE).map((item, index) => toRow(item, start + index));
    await client.query(
      `insert into ${table} select ${cast.join(', ')} from unnest(${given.join(', ')}) as given (${names.join(', ')})`,
      types.map((_, column) => rows.map((row) => String(row[column]))),
    );
  }
}

function statementOf(rules: readonly BenchRule[]): string {
  const cases = rules.map(({ parts }, index) => `when ${parts.map(conditionOf).join(' and ')} then ${index}`);
  return `
    select line, rule from (
      select line, case ${cases.join('\n')} end as rule
      from requests
      left join lateral (
        select case when client <= last then country end as country
        from countries where first <= client order by first desc limit 1
      ) located on family(client) = 4
      left join lateral (
        select category from categories where domain = any (suffixes) order by length(domain) desc limit 1
      ) sorted on true
    ) judged where rule is not null`;
}

function conditionOf(part: Part): string {
  const list = (values: readonly string[], type: string): string =>
    `array[${values.map((value) => `'${value}'`).join(', ')}]::${type}[]`;
  switch (part.kind) {
    case 'country':
      return `${part.isNegated ? 'not ' : ''}coalesce(country, 'no-country') = any (${list(part.codes, 'text')})`;
    case 'client':
      return `client <<= any (${list(part.networks, 'inet')})`;
    case 'host':
      return `suffixes && ${list(part.domains, 'text')}`;
    case 'category':
      return `coalesce(category, 'uncategorised') = any (${list(part.names, 'text')})`;
    case 'path':
      return `(${part.prefixes.map((prefix) => `path = '${prefix}' or path like '${prefix}/%'`).join(' or ')})`;
    case 'path-matches':
      return `path ~ '${part.expression}'`;
    case 'agent-matches':
      return `agent ~ '${part.expression}'`;
    case 'agent-contains':
      return `position('${part.text}' in agent) > 0`;
    case 'method':
      return `method = any (${list(part.names, 'text')})`;
  }
}

/** @throws Error naming the first request that the statement decides otherwise than the plain loop with the same rules */
function reportAgreement(
  rules: readonly BenchRule[],
  requests: readonly BenchRequest[],
  rows: readonly { line: number; rule: number }[],
): void {
  const plain = createPlain(rules, createReferenceData(frozenScenery()));
  const byLine = new Map(rows.map(({ line, rule }) => [line, rule]));
  requests.forEach((request, line) => {
    const [expected, found] = [plain(request), byLine.get(line) ?? -1];
    if (expected !== found) throw new Error(`Request ${line}: plain finds rule ${expected}, the statement ${found}.`);
  });
  process.stdout.write(
    `  the statement decides ${rows.length.toLocaleString('en')} requests, each as the plain loop does with its rules\n`,
  );
}
