import { createInterface } from 'node:readline/promises';
import { Failure } from './failure.js';
import type { Streams } from './output.js';

/**
 * Asks on a terminal whether to go on; without one only `--yes` does.
 * @throws Failure when the answer is no, or nobody can be asked
 */
export async function confirm(question: string, isYes: boolean, { stdin, stderr }: Streams): Promise<void> {
  if (isYes) return;
  if (!stdin.isTTY)
    throw new Failure('Nothing is changed: nobody can be asked here.', 2, 'Say --yes to go on without asking.');
  const prompt = createInterface({ input: stdin, output: stderr });
  const answer = await prompt.question(`${question} [y/N] `);
  prompt.close();
  if (!/^y(es)?$/i.test(answer.trim())) throw new Failure('Nothing is changed.');
}
