/** A folder with a small log and fences, and a service that the command line is signed in to. */
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { expect } from 'vitest';
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
  /** The same of a command that must do well. @returns what it prints */
  done(...args: string[]): Promise<string>;
  /** Replaces the draft. */
  begin(text?: string): Promise<void>;
  /** The draft as it is exported to a new folder: every file with its text. */
  exported(name: string): Promise<Record<string, string>>;
  clear(): Promise<void>;
}

export async function setUpDesk(): Promise<Desk> {
  const folder = mkdtempSync(join(tmpdir(), 'jadefence-'));
  const run = (...args: string[]): Promise<Ran> => jadefence(args, { env: { XDG_CONFIG_HOME: folder }, cwd: folder });
  const done = async (...args: string[]): Promise<string> => {
    const { exitCode, stdout, stderr } = await run(...args);
    expect([args, exitCode, stderr]).toEqual([args, 0, stderr]);
    return stdout;
  };
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
    done,
    async begin(text = FENCES) {
      writeFileSync(join(folder, 'site.fence'), text);
      await done('fence', 'import', 'site.fence', '--yes');
    },
    async exported(name) {
      await done('fence', 'export', name);
      const entries = readdirSync(join(folder, name), { recursive: true, withFileTypes: true });
      const files = entries.filter((entry) => entry.isFile());
      return Object.fromEntries(
        files.map((entry) => [entry.name, readFileSync(join(entry.parentPath, entry.name), 'utf8')]),
      );
    },
    async clear() {
      await service.stop();
      rmSync(folder, { recursive: true, force: true });
    },
  };
}
