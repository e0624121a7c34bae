import { DatasetReader } from '@jadefence/core/language';
import type { DatasetKind, LinesReport } from '@jadefence/core/reference';
import { filesOf } from './archive.js';
import { refusePage } from './category-file.js';
import { decompress } from './decompress.js';

/**
 * Reads the entries of a large list: one file or a tar archive of files, either also as gzip.
 * @throws UnreadableFileError
 */
export async function readDatasetFile(
  kind: DatasetKind,
  pieces: AsyncIterable<Uint8Array>,
  onLines: (numLines: number) => void = () => undefined,
): Promise<{ buffer: ArrayBufferLike; report: LinesReport }> {
  const reader = new DatasetReader(kind);
  let isFirst = true;
  for await (const file of filesOf(decompress(pieces))) {
    reader.startFile(file.path);
    for await (const piece of file.pieces) {
      if (isFirst) refusePage(piece);
      isFirst = false;
      reader.push(piece);
      onLines(reader.numLines);
    }
  }
  return reader.end();
}
