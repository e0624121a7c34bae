import type { ParsedRows } from '@jadefence/core/build-chunks';

/**
 * Lines in one buffer, to be handed to another thread; they lie in the memory of a parser, which uses it again.
 * @param buffer used where it has room
 */
export function packLines(lines: ParsedRows, buffer?: ArrayBuffer): ParsedRows & { source: Uint8Array<ArrayBuffer> } {
  const { numbers, timesUnixMs, cells, shapes, refererKinds, source } = lines;
  const arrays = [numbers, timesUnixMs, cells, shapes, refererKinds, source];
  const numBytes = arrays.reduce((sum, { byteLength }) => sum + byteLength, 0);
  const room = buffer && buffer.byteLength >= numBytes ? buffer : new ArrayBuffer(numBytes);
  let at = 0;
  // Those with the longest words come first, so that all begin where they may.
  const take = (length: number, wordBytes: number): number => {
    const start = at;
    at += length * wordBytes;
    return start;
  };
  const packed = {
    numRows: lines.numRows,
    zones: lines.zones,
    numbers: new Float64Array(room, take(numbers.length, 8), numbers.length),
    timesUnixMs: new Float64Array(room, take(timesUnixMs.length, 8), timesUnixMs.length),
    cells: new Int32Array(room, take(cells.length, 4), cells.length),
    shapes: new Int32Array(room, take(shapes.length, 4), shapes.length),
    refererKinds: new Uint8Array(room, take(refererKinds.length, 1), refererKinds.length),
    source: new Uint8Array(room, take(source.length, 1), source.length),
  };
  packed.numbers.set(numbers);
  packed.timesUnixMs.set(timesUnixMs);
  packed.cells.set(cells);
  packed.shapes.set(shapes);
  packed.refererKinds.set(refererKinds);
  packed.source.set(source);
  return packed;
}
