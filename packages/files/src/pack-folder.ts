import { createReadStream } from 'node:fs';
import { readdir, stat } from 'node:fs/promises';
import { join, relative, sep } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { pack } from 'tar-stream';

/** The files below a folder as a tar archive, in byte order of path, read as it is sent. */
export function packFolder(folder: string): AsyncIterable<Uint8Array> {
  return packAll(async () => {
    const entries = await readdir(folder, { recursive: true, withFileTypes: true });
    const paths = entries.filter((entry) => entry.isFile()).map((entry) => join(entry.parentPath, entry.name));
    return paths.sort().map((path) => ({ path, name: relative(folder, path).split(sep).join('/') }));
  });
}

/** Files as a tar archive, in their order and under the names that are given. */
export function packFiles(paths: readonly string[]): AsyncIterable<Uint8Array> {
  return packAll(async () => paths.map((path) => ({ path, name: path })));
}

function packAll(list: () => Promise<{ path: string; name: string }[]>): AsyncIterable<Uint8Array> {
  const archive = pack();
  const fill = async (): Promise<void> => {
    for (const { path, name } of await list()) {
      const { size } = await stat(path);
      await pipeline(createReadStream(path), archive.entry({ name, size }));
    }
    archive.finalize();
  };
  fill().catch((error: Error) => archive.destroy(error));
  return archive as unknown as AsyncIterable<Uint8Array>;
}
