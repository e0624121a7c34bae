import { readFile } from 'node:fs/promises';
import { hostname } from 'node:os';
import { ServiceClient } from '@jadefence/contract';
import type { Command } from 'commander';
import { promptSecret } from '../prompts.js';
import { Failure } from '../cli-error.js';
import { logMessage, type Streams } from '../output.js';
import { connect, DEFAULT_URL, deleteCredentials, saveCredentials, withoutSlash } from '../service.js';

export function addLogout(program: Command, streams: Streams): void {
  program
    .command('logout')
    .description('Sign out and revoke the stored token')
    .addHelpText('after', '\nExamples:\n  jadefence logout')
    .action(async () => {
      await (await connect(streams)).signOut();
      await deleteCredentials(streams);
      logMessage(streams, 'Signed out.');
    });
}

interface LoginOptions {
  readonly url?: string;
  readonly name?: string;
  readonly signInFile?: string;
  readonly unmask?: true;
}

export function addLogin(program: Command, streams: Streams): void {
  program
    .command('login')
    .description('Sign in to a service and store a token')
    .option('--url <url>', `where the service listens (default: ${DEFAULT_URL})`)
    .option('--name <name>', 'who signs in (default: admin)')
    .option('--sign-in-file <file>', 'file with lines "address: ...", "name: ..." and "password: ..."')
    .option('--unmask', 'show true values where fields are masked (administrators)')
    .addHelpText(
      'after',
      `
The password is requested on a terminal, and read from standard input otherwise.

Examples:
  jadefence login
  jadefence login --sign-in-file .jadefence/sign-in
  jadefence login --url http://127.0.0.1:7340 --name admin < password.txt`,
    )
    .action((options: LoginOptions) => logIn(options, streams));
}

async function logIn(options: LoginOptions, streams: Streams): Promise<void> {
  const kept = options.signInFile === undefined ? {} : await readSignInFile(options.signInFile);
  const url = withoutSlash(options.url ?? kept['address'] ?? DEFAULT_URL);
  const name = options.name ?? kept['name'] ?? 'admin';
  const password = kept['password'] ?? (await promptSecret(`Password of ${name}: `, streams));
  const client = new ServiceClient({ baseUrl: url });
  const { token, scope } = await client.createToken(
    { name, password },
    {
      name: `jadefence on ${hostname()}`.slice(0, 100),
      scope: 'administrator',
      ...(options.unmask ? { unmask: true } : {}),
    },
  );
  const path = await saveCredentials({ url, token }, streams);
  logMessage(streams, `Signed in to ${url} as ${name} (${scope}). The token is kept in ${path}.`);
}

async function readSignInFile(path: string): Promise<Record<string, string>> {
  const text = await readFile(path, 'utf8').catch((error: NodeJS.ErrnoException) => {
    throw new Failure(`The sign-in file "${path}" cannot be read (${error.code}).`);
  });
  return Object.fromEntries([...text.matchAll(/^(\w+): (.*)$/gm)].map(([, key, value]) => [key!, value!]));
}
