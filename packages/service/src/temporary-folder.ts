/** Folders for files of requests, named after the process, so that the next start finds what a killed one left. */
import { mkdtemp, readdir, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const PREFIX = 'jadefence-service-';

/** Makes a folder; the caller removes it. @param what names its use, such as `upload` */
export function makeTemporaryFolder(what: string): Promise<string> {
  return mkdtemp(join(tmpdir(), `${PREFIX}${process.pid}-${what}-`));
}

/** Removes the folders of processes that have ended. */
export async function removeStaleFolders(): Promise<number> {
  const names = (await readdir(tmpdir())).filter((name) => name.startsWith(PREFIX));
  const stale = names.filter((name) => {
    const pid = Number(/^\d+/.exec(name.slice(PREFIX.length))?.[0]);
    return pid !== process.pid && !isAlive(pid);
  });
  for (const name of stale) await rm(join(tmpdir(), name), { recursive: true, force: true });
  return stale.length;
}

function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    // It lives, and belongs to another user.
    return (error as NodeJS.ErrnoException).code === 'EPERM';
  }
}
