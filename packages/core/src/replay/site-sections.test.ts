import { expect, test } from 'vitest';
import type { LogRecord } from '../request/record.js';
import { chunkOf } from '../test/chunk-of.js';
import { addSections, SectionCounter, sectionsOf } from './site-sections.js';

const record = (host: string, path: string, line: number): LogRecord => ({
  line,
  atUnixMs: line,
  attributes: { 'http.request.header.host': [host], 'url.path': path, 'http.request.method': 'GET' },
});
const LOG = [
  ...Array.from({ length: 6 }, (_, index) => record('tube.example', `/channel/music/${index}`, index + 1)),
  ...Array.from({ length: 3 }, (_, index) => record('www.tube.example', '/channel/games', index + 7)),
  record('other.example', '/channel/music', 10),
  record('nottube.example', '/x', 11),
];

test('the sections of a site are its paths and those of hosts below it, by whole segments', () => {
  const parts = [LOG.slice(0, 4), LOG.slice(4)].map((records) => {
    const counter = new SectionCounter('tube.example');
    counter.add(chunkOf(records)!);
    return counter.result();
  });
  const { hosts, sections } = addSections(parts);
  expect(hosts[0]).toEqual({ value: 'tube.example', requests: 6 });
  expect(hosts).toHaveLength(4);
  expect(sections.slice(0, 3)).toEqual([
    { value: '/channel', requests: 9 },
    { value: '/channel/music', requests: 6 },
    { value: '/channel/games', requests: 3 },
  ]);
  expect(sectionsOf('//a//b/c/')).toEqual(['//a']);
  expect(sectionsOf('/')).toEqual([]);
});
