/** A folder with a small log and fences, and a service that the command line is signed in to. */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { jadefence, type Ran } from './jadefence.js';
import { startTestService, type TestService } from './service.js';

export const FENCES = `list team addresses { 198.18.4.0/24 }
gate shop inbound { hosts shop.example fences desk otherwise allow }
fence desk enforce "Desk" {
  rule staff tag staff when client in team
  rule login block when path under /login and not tag = staff
}
`;

/** A line of the log; all are within one minute. */
export function logLine(client: string, path: string, second: number, status = 200): string {
  return `shop.example ${client} - - [12/Oct/2026:10:00:${String(second).padStart(2, '0')} +0000] "GET ${path} HTTP/1.1" ${status} 5 "-" "-"`;
}

export const LOG = [
  ...Array.from({ length: 8 }, (_, index) => logLine(`198.18.4.${index}`, '/', index)),
  ...Array.from({ length: 4 }, (_, index) => logLine('203.0.113.9', '/login', 20 + index, 401)),
  'broken',
  '',
].join('\n');

export interface Desk {
  readonly folder: string;
  readonly service: TestService;
  /** A token that outlives what the tests do to sign-ins. */
  readonly token: string;
  /** Runs the client in the folder, signed in. */
  run(...args: string[]): Promise<Ran>;
  clear(): Promise<void>;
}

export async function setUpDesk(): Promise<Desk> {
  const folder = mkdtempSync(join(tmpdir(), 'jadefence-'));
  const run = (...args: string[]): Promise<Ran> => jadefence(args, { env: { XDG_CONFIG_HOME: folder }, cwd: folder });
  writeFileSync(join(folder, 'site.fence'), FENCES);
  writeFileSync(join(folder, 'day.log'), LOG);
  writeFileSync(join(folder, 'day.log.gz'), gzipSync(LOG));
  const service = await startTestService();
  await run('login', '--sign-in-file', join(service.folder, 'sign-in'));
  const token = (await run('admin', 'token', 'create', 'tests', '--scope', 'administrator')).stdout.trim();
  return {
    folder,
    service,
    token,
    run,
    async clear() {
      await service.stop();
      rmSync(folder, { recursive: true, force: true });
    },
  };
}
