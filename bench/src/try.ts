import { checkFences, ChunkBuilder, ChunkRows, ChunkReplay, Program, createCountryTable, createCategories, CategoryFeedReader, type LogRecord, type Judge } from '@jadefence/core';
import { frozenPolicy, frozenScenery, frozenRequests } from './replay/frozen.js';
import { createReferenceData } from './replay/reference-data.js';
import { createPlain } from './replay/plain.js';
const N = Number(process.argv[2] ?? 500_000);
const SIZE = Number(process.argv[3] ?? 200) as 200;
const scenery = frozenScenery();
let t = performance.now();
const lap = (what: string) => { const now = performance.now(); console.log(what, (now - t).toFixed(0), 'ms'); t = performance.now(); };
const reader = new CategoryFeedReader();
reader.push(new TextEncoder().encode(scenery.categories.map(([d, c]) => `${d},${c}\n`).join('')));
const categories = createCategories([reader.end('feed').feed]);
const countries = createCountryTable(scenery.countries.map(({ first, last, country }) => ({ family: 4 as const, first: BigInt(first), last: BigInt(last), country })) as never);
lap('world');
const { rules, fences } = frozenPolicy(SIZE);
const { rulebook, diagnostics } = checkFences([{ path: 'f.fence', text: fences }], []);
if (!rulebook) throw new Error(JSON.stringify(diagnostics.slice(0, 3)));
lap('check fences');
const judge: Judge = { rulebook, countries, categories };
const program = new Program(judge);
lap('compile');
const chunks: { numRows: number; columns: ReadonlyMap<string, Uint8Array> }[] = [];
let builder = new ChunkBuilder();
const flush = () => { const c = builder.encode(); if (c) chunks.push(c); builder = new ChunkBuilder(); };
const asked: any[] = [];
let line = 0;
for (const r of frozenRequests()) {
  if (++line > N) break;
  if (line <= 200_000) asked.push(r);
  builder.push({ line, atUnixMs: r.atUnixMs, attributes: { 'client.address': r.client, 'http.request.header.host': [r.host], 'http.request.method': r.method, 'url.path': r.path, 'url.query': r.query || null, 'http.response.status_code': r.status, 'http.response.body.size': r.bytes, 'user_agent.original': r.agent } } as never);
  if (builder.isFull) flush();
}
flush();
lap('columns');
const wanted = new Set(['line','time','client.address','http.request.header.host','http.request.method','url.path','user_agent.original']);
for (let round = 0; round < 4; round++) {
  const replay = new ChunkReplay(program);
  let decode = 0, match = 0;
  const all: Uint32Array[] = [];
  for (const c of chunks) {
    const a = performance.now();
    const rows = new ChunkRows(c.numRows, new Map([...c.columns].filter(([n]) => wanted.has(n))));
    const b = performance.now();
    all.push(replay.judge([rows]).codes);
    decode += b - a; match += performance.now() - b;
  }
  console.log(`round ${round}: decode ${decode.toFixed(0)} match ${match.toFixed(0)} ms = ${(N / match).toFixed(0)}k/s; rulings ${replay.table.rulings.length} keys ${replay.memory.numKeys} classes ${program.groups.all.map((g) => `${g.numClasses}/${g.numEntries}`).join(' ')}`);
  if (round === 0) {
    const plain = createPlain(rules, createReferenceData(scenery));
    const n = SIZE > 1000 ? 5000 : 20_000;
    let differ = 0;
    for (let i = 0; i < n; i++) {
      const expected = plain(asked[i]);
      const { rule } = replay.table.rulings[all[i >> 16]![i & 65535]!]!;
      const got = rule === undefined ? -1 : rules.findIndex(({ name }) => name === rule);
      if (got !== expected && differ++ < 5) console.log('differs', i, JSON.stringify(rules[expected])?.slice(0,500), got, asked[i].client);
    }
    console.log('differ', differ, 'of', n);
  }
}
