import { once } from 'node:events';
import { NAME } from '@jadefence/core/language';
import { printCsvRow } from './render/csv.js';
import { InvalidArgumentError } from 'commander';
import { printTable } from './render/text.js';

export const OUTPUTS = ['table', 'json', 'ndjson', 'csv'] as const;
export type Output = (typeof OUTPUTS)[number];

/** What a command that answers one thing, not rows, can print. */
export type OneOutput = Extract<Output, 'table' | 'json'>;

/** What commands that write one record are given. */
export interface OutputOption {
  readonly output: OneOutput;
}

function oneOf<O extends Output>(outputs: readonly O[], text: string): O {
  const output = outputs.find((candidate) => candidate === text);
  if (!output) throw new InvalidArgumentError(`Expected one of ${outputs.join(', ')}.`);
  return output;
}

/** `--output` of a command that answers rows. */
export const TABLE_FORMATS = [
  '--output <output>',
  'table, json, ndjson or csv',
  (text: string): Output => oneOf(OUTPUTS, text),
  'table',
] as const;

/** `--output` of a command that answers one thing. */
export const RECORD_FORMATS = [
  '--output <output>',
  'table or json',
  (text: string): OneOutput => oneOf(['table', 'json'], text),
  'table',
] as const;

export function parseWhole(text: string): number {
  if (!/^\d{1,15}$/.test(text)) throw new InvalidArgumentError('Expected a whole number.');
  return Number(text);
}

/** The name of a thing of the draft. */
export function parseName(text: string): string {
  if (!NAME.test(text))
    throw new InvalidArgumentError('Expected a name: a small letter, then small letters, digits and hyphens.');
  return text;
}

/** Where a command writes: results, and messages about them. */
export interface Streams {
  readonly stdout: NodeJS.WritableStream & { columns?: number; isTTY?: boolean };
  readonly stderr: NodeJS.WritableStream & { isTTY?: boolean };
  /** For prompts: the terminal itself, so the caller must sanitise the text. */
  readonly prompt: NodeJS.WritableStream;
  /** Where results for programs go: as they are, but for a terminal. */
  readonly data: NodeJS.WritableStream;
  readonly stdin: NodeJS.ReadableStream & { isTTY?: boolean };
  readonly env: NodeJS.ProcessEnv;
}

/** Prints a note about the work; never part of a result. */
export function logMessage({ stderr }: Streams, text: string): void {
  stderr.write(`${text}\n`);
}

export function writeJson({ stdout }: Streams, value: unknown): void {
  stdout.write(`${JSON.stringify(value, null, 2)}\n`);
}

/** Answers one thing: its text for people, or the thing itself as JSON. */
export function printRecord(streams: Streams, output: OneOutput, value: unknown, text: string): void {
  if (output === 'json') writeJson(streams, value);
  else streams.stdout.write(`${text}\n`);
}

/** A list as rows: the columns of the table, by the keys under which scripts find them. */
export interface RowsLayout<T> {
  readonly columns: Readonly<Record<string, (item: T) => string>>;
  /** Keys of columns with figures. */
  readonly figures?: readonly string[];
  /** Printed on stderr if there are no rows. */
  readonly empty: string;
}

/** Answers rows in any of the outputs; JSON and NDJSON have the items whole. */
export function writeRows<T>(
  streams: Streams,
  output: Output,
  items: readonly T[],
  { columns, figures = [], empty }: RowsLayout<T>,
): void {
  if (output === 'json') return writeJson(streams, items);
  const names = Object.keys(columns);
  const rows = items.map((item) => names.map((name) => columns[name]!(item)));
  if (output === 'ndjson') streams.data.write(items.map((item) => `${JSON.stringify(item)}\n`).join(''));
  else if (output === 'csv') streams.data.write([names, ...rows].map((row) => `${printCsvRow(row)}\n`).join(''));
  else if (items.length === 0) logMessage(streams, empty);
  else
    streams.stdout.write(
      `${printTable(
        names,
        rows,
        figures.map((name) => names.indexOf(name)),
      )}\n`,
    );
}

const BATCH_CHARACTERS = 65_536;

/** Writes many lines in large pieces, waiting where the reader is slower. */
export class LineWriter {
  #batch = '';

  constructor(private readonly stream: NodeJS.WritableStream) {}

  async write(line: string): Promise<void> {
    this.#batch += `${line}\n`;
    if (this.#batch.length >= BATCH_CHARACTERS) await this.flush();
  }

  async flush(): Promise<void> {
    const batch = this.#batch;
    this.#batch = '';
    if (batch !== '' && !this.stream.write(batch)) await once(this.stream, 'drain');
  }
}

/** What a path is called where people read it. */
export function nameOfPath(path: string): string {
  return path === '-' ? 'standard input' : path;
}

/** All of standard input as text. */
export async function readAll({ stdin }: Streams): Promise<string> {
  const pieces: Uint8Array[] = [];
  for await (const piece of stdin as AsyncIterable<Uint8Array>) pieces.push(Buffer.from(piece));
  return Buffer.concat(pieces).toString('utf8');
}
