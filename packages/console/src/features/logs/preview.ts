import { detectFormat, LogReader, type Detection, type ReadLine } from '@jadefence/core';

/** What a file looks like before it is sent: read here, in the browser, by the same code as in the service. */
export interface LogPreview {
  readonly detection: Detection;
  readonly lines: readonly ReadLine[];
}

const PREVIEW_BYTES = 1_048_576;
const SHOWN_LINES = 5;

/** @param host the host of every line, where the format has no column for it */
export async function previewLog(file: File, host: string): Promise<LogPreview> {
  const head = await readHead(file);
  const detection = detectFormat(head, file.size <= PREVIEW_BYTES);
  if (!detection.best) return { detection, lines: [] };
  const reader = new LogReader(detection.best.format, host ? { host } : {});
  return { detection, lines: [...reader.push(head), ...reader.end()].slice(0, SHOWN_LINES) };
}

/** The first bytes, decompressed where they begin as gzip does. */
async function readHead(file: File): Promise<Uint8Array> {
  const start = new Uint8Array(await file.slice(0, 2).arrayBuffer());
  const isGzip = start[0] === 0x1f && start[1] === 0x8b;
  const stream = isGzip ? file.stream().pipeThrough(new DecompressionStream('gzip')) : file.stream();
  const reader = stream.getReader();
  const pieces: Uint8Array[] = [];
  let numBytes = 0;
  while (numBytes < PREVIEW_BYTES) {
    const { value, done } = await reader.read();
    if (done) break;
    pieces.push(value);
    numBytes += value.length;
  }
  await reader.cancel();
  return new Uint8Array(await new Blob(pieces as BlobPart[]).arrayBuffer());
}
