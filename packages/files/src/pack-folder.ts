import { createReadStream } from 'node:fs';
import { readdir, stat } from 'node:fs/promises';
import { join, relative, sep } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { pack } from 'tar-stream';

/** The files below a folder as a tar archive, in byte order of path, read as it is sent. */
export function packFolder(folder: string): AsyncIterable<Uint8Array> {
  const archive = pack();
  const fill = async (): Promise<void> => {
    const entries = await readdir(folder, { recursive: true, withFileTypes: true });
    const paths = entries.filter((entry) => entry.isFile()).map((entry) => join(entry.parentPath, entry.name));
    for (const path of paths.sort()) {
      const { size } = await stat(path);
      await pipeline(
        createReadStream(path),
        archive.entry({ name: relative(folder, path).split(sep).join('/'), size }),
      );
    }
    archive.finalize();
  };
  fill().catch((error: Error) => archive.destroy(error));
  return archive as unknown as AsyncIterable<Uint8Array>;
}
