/** Prompts at the terminal. */
import { createInterface, type Interface } from 'node:readline/promises';
import { Writable } from 'node:stream';
import { Failure } from './cli-error.js';
import { readAll, type Streams } from './output.js';
import { showControls } from './render/terminal.js';

/**
 * Asks for confirmation; without a terminal `--yes` is required.
 * @throws Failure if the answer is no, or there is no terminal
 */
export async function confirm(question: string, isYes: boolean, { stdin, prompt }: Streams): Promise<void> {
  if (isYes) return;
  if (!stdin.isTTY)
    throw new Failure('Nothing was changed: confirmation needs a terminal.', 2, 'Pass --yes to confirm.');
  const answer = await answerTo(`${showControls(question)} [y/N] `, createInterface({ input: stdin, output: prompt }));
  if (!/^y(es)?$/i.test(answer.trim())) throw new Failure('Nothing is changed.');
}

/**
 * Prompts for a secret without echo; without a terminal all of standard input is the answer, but for the
 * break at its end.
 * @throws Failure when there is no answer
 */
export async function promptSecret(question: string, streams: Streams): Promise<string> {
  const { stdin, stderr } = streams;
  if (!stdin.isTTY) return (await readAll(streams)).replace(/\r?\n$/, '');
  const silent = new Writable({ write: (_piece, _encoding, done) => done() });
  const prompt = createInterface({ input: stdin, output: silent, terminal: true });
  // Only now does the terminal show nothing of what is typed.
  stderr.write(question);
  try {
    return await answerTo('', prompt);
  } finally {
    stderr.write('\n');
  }
}

async function answerTo(question: string, prompt: Interface): Promise<string> {
  try {
    return await prompt.question(question);
  } catch (error) {
    // Ctrl-C, or the end of the input.
    if ((error as NodeJS.ErrnoException).code === 'ABORT_ERR') throw new Failure('Nothing is changed.');
    throw error;
  } finally {
    prompt.close();
  }
}
