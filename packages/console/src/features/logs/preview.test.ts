import { gzipSync } from 'node:zlib';
import { expect, it } from 'vitest';
import { previewLog } from './preview.js';

const line = (n: number): string =>
  `198.18.0.${n % 250} - - [12/Oct/2026:12:00:00 +0000] "GET /page-${n} HTTP/1.1" 200 3 "-" "Agent"\n`;
const file = (...parts: BlobPart[]): File => new File(parts, 'a.log');

it('shows how a file would be read, gzip or not, and its first lines only', async () => {
  const text = Array.from({ length: 300 }, (_, n) => line(n)).join('');
  for (const item of [file(text), file(gzipSync(text))]) {
    const { detection, lines } = await previewLog(item, {});
    expect(detection).toMatchObject({ best: { format: 'combined' }, numLines: 200, needsHost: true });
    expect(lines).toHaveLength(5);
  }
});

it('reads no more of a long file than it needs, and passes over the line that it cut', async () => {
  const { detection, lines } = await previewLog(file(line(1).repeat(20_000)), {});
  expect(detection.best?.numRejected).toBe(0);
  expect(lines.every(({ kind }) => kind === 'record')).toBe(true);
});

it('reports options that do not fit, and a pattern where no format fits', async () => {
  await expect(previewLog(file(line(1)), { pattern: '{client' })).rejects.toThrow(
    'In the pattern, "{client" has no end.',
  );
  const extra = line(1).replace('\n', ' "203.0.113.7, 198.18.0.1"\n');
  const { detection, lines } = await previewLog(file(extra), {});
  expect([detection.best, lines]).toEqual([undefined, []]);
  expect(detection.pattern).toContain('"{http.request.header.x-forwarded-for}"');
});
