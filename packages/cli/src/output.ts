import { once } from 'node:events';
import { InvalidArgumentError } from 'commander';

export const OUTPUTS = ['table', 'json', 'ndjson', 'csv'] as const;
export type Output = (typeof OUTPUTS)[number];

/** Reads the value of `--output`. */
export function parseOutput(text: string): Output {
  const output = OUTPUTS.find((candidate) => candidate === text);
  if (!output) throw new InvalidArgumentError(`Expected one of ${OUTPUTS.join(', ')}.`);
  return output;
}

export function parseWhole(text: string): number {
  if (!/^\d{1,15}$/.test(text)) throw new InvalidArgumentError('Expected a whole number.');
  return Number(text);
}

/** Where a command writes: results, and messages about them. */
export interface Streams {
  readonly stdout: NodeJS.WritableStream & { columns?: number; isTTY?: boolean };
  readonly stderr: NodeJS.WritableStream & { isTTY?: boolean };
  readonly stdin: NodeJS.ReadableStream & { isTTY?: boolean };
  readonly env: NodeJS.ProcessEnv;
}

/** Says something about the work; never part of a result. */
export function say({ stderr }: Streams, text: string): void {
  stderr.write(`${text}\n`);
}

export function writeJson({ stdout }: Streams, value: unknown): void {
  stdout.write(`${JSON.stringify(value, null, 2)}\n`);
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
