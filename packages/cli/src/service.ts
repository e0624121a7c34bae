import { mkdir, readFile, rm, writeFile } from 'node:fs/promises';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';
import { ServiceClient } from '@jadefence/contract';
import { EXIT, Failure } from './cli-error.js';
import type { Streams } from './output.js';

export const DEFAULT_URL = 'http://127.0.0.1:7340';

interface Credentials {
  readonly url: string;
  readonly token: string;
}

function credentialsPath({ env }: Streams): string {
  return join(env['XDG_CONFIG_HOME'] ?? join(env['HOME'] ?? homedir(), '.config'), 'jadefence', 'credentials.json');
}

/** Keeps the token where only its owner can read it. @returns the file's path */
export async function saveCredentials(credentials: Credentials, streams: Streams): Promise<string> {
  const path = credentialsPath(streams);
  await mkdir(dirname(path), { recursive: true, mode: 0o700 });
  await writeFile(path, `${JSON.stringify(credentials, null, 2)}\n`, { mode: 0o600 });
  return path;
}

/** Deletes the stored token. */
export async function deleteCredentials(streams: Streams): Promise<void> {
  await rm(credentialsPath(streams), { force: true });
}

/** The service as signed in to, or by `JADEFENCE_URL` and `JADEFENCE_TOKEN`. */
export async function connect(streams: Streams): Promise<ServiceClient> {
  const { JADEFENCE_URL: url, JADEFENCE_TOKEN: token } = streams.env;
  if (token) return new ServiceClient({ baseUrl: withoutSlash(url ?? DEFAULT_URL), token });
  const text = await readFile(credentialsPath(streams), 'utf8').catch(() => undefined);
  if (text === undefined)
    throw new Failure('Not signed in.', EXIT.wrongInput, 'Run jadefence login first, or set JADEFENCE_TOKEN.');
  const credentials = JSON.parse(text) as Credentials;
  return new ServiceClient({ baseUrl: withoutSlash(url ?? credentials.url), token: credentials.token });
}

export function withoutSlash(url: string): string {
  return url.replace(/\/+$/, '');
}
