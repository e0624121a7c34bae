import { createWriteStream } from 'node:fs';
import { once } from 'node:events';
import { finished } from 'node:stream/promises';
import type { LogOptions } from './day.js';
import { generateEdgeLog, type EdgeEvent } from './edge-log.js';
import { generateInboundLog, type EventLabel } from './inbound-log.js';
import { generateOutboundLog, type OutboundEvent } from './outbound-log.js';

const BATCH_CHARACTERS = 262_144;

export interface WrittenLog<E extends string> {
  readonly lines: number;
  /** Planted lines by event. */
  readonly labels: Readonly<Partial<Record<E, number>>>;
}

/** Writes lines to a stream in large pieces, waiting where the reader is slower. */
export async function writeLines(lines: Iterable<string>, stream: NodeJS.WritableStream): Promise<void> {
  let batch = '';
  for (const line of lines) {
    batch += `${line}\n`;
    if (batch.length < BATCH_CHARACTERS) continue;
    if (!stream.write(batch)) await once(stream, 'drain');
    batch = '';
  }
  if (batch !== '' && !stream.write(batch)) await once(stream, 'drain');
}

/** Writes a day at the inbound gates. @see writeLabelled */
export function writeInboundLog(
  options: LogOptions,
  logPath: string,
  labelsPath: string,
): Promise<WrittenLog<EventLabel>> {
  return writeLabelled(generateInboundLog(options), logPath, labelsPath);
}

/** Writes a day of traffic going out. @see writeLabelled */
export function writeOutboundLog(
  options: LogOptions,
  logPath: string,
  labelsPath: string,
): Promise<WrittenLog<OutboundEvent>> {
  return writeLabelled(generateOutboundLog(options), logPath, labelsPath);
}

/** Writes a day at the edge. @see writeLabelled */
export function writeEdgeLog(options: LogOptions, logPath: string, labelsPath: string): Promise<WrittenLog<EdgeEvent>> {
  return writeLabelled(generateEdgeLog(options), logPath, labelsPath);
}

/**
 * Writes the lines of a log, and next to it its labels as NDJSON: one `{"line": N, "event": "..."}` for each planted line.
 * @param labelsPath where the labels go
 */
async function writeLabelled<E extends string>(
  log: Iterable<{ text: string; label?: E }>,
  logPath: string,
  labelsPath: string,
): Promise<WrittenLog<E>> {
  const labels: Partial<Record<E, number>> = {};
  const labelLines: string[] = [];
  let lines = 0;
  function* texts(): Generator<string> {
    for (const { text, label } of log) {
      lines += 1;
      if (label) {
        labels[label] = (labels[label] ?? 0) + 1;
        labelLines.push(JSON.stringify({ line: lines, event: label }));
      }
      yield text;
    }
  }
  await writeFileLines(texts(), logPath);
  await writeFileLines(labelLines, labelsPath);
  return { lines, labels };
}

async function writeFileLines(lines: Iterable<string>, path: string): Promise<void> {
  const stream = createWriteStream(path);
  await writeLines(lines, stream);
  stream.end();
  await finished(stream);
}
