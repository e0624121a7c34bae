import { MessageChannel } from 'node:worker_threads';
import { LogImporter } from '@jadefence/core/parse-logs';
import { expect, it } from 'vitest';
import { judgeChunks, type JudgeTask } from './evaluation/judge-task.js';

const LINES = ['/a', '/login', '/a', '/login/b']
  .map(
    (path, n) =>
      `shop.example 198.18.4.${n} - - [12/Oct/2026:10:00:0${n} +0000] "GET ${path} HTTP/1.1" 200 5 "-" "-"\n`,
  )
  .join('');
const FENCES = `gate shop inbound { hosts shop.example fences desk otherwise allow }
fence desk enforce { rule login block when path under /login }`;

const importer = new LogImporter('combined-with-host', {}, () => undefined);
const [chunk] = [...importer.push(Buffer.from(LINES)), ...importer.end()];

/** @param damage changes the bytes of a column */
function taskWith(
  known: { readonly after: number | undefined },
  damage: (bytes: Uint8Array) => Uint8Array = (bytes) => bytes,
): JudgeTask {
  const { numRows, columns, dictionaries } = chunk!;
  return {
    contextKey: 'rules',
    run: 'one',
    fenceFile: { path: 'a.fence', text: FENCES },
    namedFiles: [],
    datasets: [],
    referenceData: { countryCorrections: [], feeds: [], categoryCorrections: [] },
    chunks: [
      { chunk: 0, numRows, segment: 0, columns: new Map([...columns].map(([name, bytes]) => [name, damage(bytes)])) },
    ],
    dictionaries: new Map([
      [0, { after: known.after, upTo: 0, parts: known.after === undefined ? [...dictionaries] : [] }],
    ]),
    parts: [{ chunks: [0] }],
    span: { fromUnixMs: null, toUnixMs: null },
    maxLimitKeys: 10,
    progress: new MessageChannel().port1,
  };
}

it('a task that fails leaves nothing behind that the next one would take up', () => {
  const all = { after: undefined };
  const expected = judgeChunks(taskWith(all))!;
  expect(expected.rulings.map(({ outcome }) => outcome)).toEqual(['allowed', 'blocked']);
  // The thread has kept the dictionaries, so that they need not be sent again.
  expect(judgeChunks(taskWith({ after: 0 }))).toEqual(expected);
  expect(() => judgeChunks(taskWith(all, (bytes) => bytes.subarray(0, 3)))).toThrow();
  // What was in use then is gone: the thread reports that it has nothing, and receives all.
  expect(judgeChunks(taskWith({ after: 0 }))).toBeUndefined();
  expect(judgeChunks(taskWith(all))).toEqual(expected);
});
