import {
  detectFormat,
  LogReader,
  parseMapping,
  type Detection,
  type ReaderOptions,
  type ReadLine,
} from '@jadefence/core/logs';
import type { LogReadOptions } from '@jadefence/contract';

/** What a file looks like before it is sent: read here, in the browser, by the same code as in the service. */
export interface LogPreview {
  readonly detection: Detection;
  readonly lines: readonly ReadLine[];
}

const PREVIEW_BYTES = 1_048_576;
const SHOWN_LINES = 5;

/** @throws LayoutError where what is settings about the log does not hold together or does not fit it */
export async function previewLog(file: File, query: LogReadOptions): Promise<LogPreview> {
  const { bytes, isWhole } = await readHead(file);
  const settings = optionsOf(query);
  const detection = detectFormat(bytes, isWhole, settings, query.format);
  if (!detection.best) return { detection, lines: [] };
  const { format, isInSyslog } = detection.best;
  const reader = new LogReader(format, { ...settings, isInSyslog });
  return { detection, lines: [...reader.push(bytes), ...(isWhole ? reader.end() : [])].slice(0, SHOWN_LINES) };
}

function optionsOf({ host, pattern, mapping, syslog, zone, year }: LogReadOptions): ReaderOptions {
  return {
    ...(host ? { host } : {}),
    ...(pattern ? { pattern } : {}),
    ...(mapping ? { mapping: parseMapping(mapping) } : {}),
    ...(syslog ? { isInSyslog: true } : {}),
    ...(zone ? { zone } : {}),
    ...(year ? { year: Number(year) } : {}),
  };
}

/** The first bytes, decompressed where they begin as gzip does. */
async function readHead(file: File): Promise<{ bytes: Uint8Array; isWhole: boolean }> {
  const start = new Uint8Array(await file.slice(0, 2).arrayBuffer());
  const isGzip = start[0] === 0x1f && start[1] === 0x8b;
  const stream = isGzip ? file.stream().pipeThrough(new DecompressionStream('gzip')) : file.stream();
  const reader = stream.getReader();
  const pieces: Uint8Array[] = [];
  let isWhole = false;
  for (let numBytes = 0; numBytes < PREVIEW_BYTES && !isWhole;) {
    const { value, done } = await reader.read();
    isWhole = done;
    if (value) {
      pieces.push(value);
      numBytes += value.length;
    }
  }
  await reader.cancel();
  return { bytes: new Uint8Array(await new Blob(pieces as BlobPart[]).arrayBuffer()), isWhole };
}
