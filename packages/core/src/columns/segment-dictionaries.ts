import {
  DamagedColumnError,
  decodeDictionaryPart,
  decodeEntry,
  KINDS,
  valueOfKind,
  type Dictionary,
  type JsonValue,
  type SameOriginUrl,
} from './column.js';

/** The dictionaries of a segment as they are read: part after part, in the order of the chunks. */
export class SegmentDictionaries {
  readonly #byColumn = new Map<string, GrowingDictionary>();

  of(column: string): GrowingDictionary {
    let dictionary = this.#byColumn.get(column);
    if (!dictionary) this.#byColumn.set(column, (dictionary = new GrowingDictionary()));
    return dictionary;
  }

  /** @throws DamagedColumnError naming the column */
  add(column: string, part: Uint8Array): void {
    try {
      this.of(column).add(part);
    } catch (error) {
      throw new DamagedColumnError(`dictionary of column ${column}: ${(error as Error).message}`);
    }
  }
}

interface DictionaryPart {
  /** The number of its first entry. */
  readonly first: number;
  readonly bytes: Uint8Array;
  readonly ends: Int32Array;
  /** By block of entries, its bytes as one text where each byte is a character, else `null`; unset before it is needed. */
  readonly blocks: (string | null | undefined)[];
}

/** Entries whose texts are pieces of one: a piece keeps the whole alive, so there are few. */
const BLOCK_BITS = 5;

const decoder = new TextDecoder('utf-8', { ignoreBOM: true });

/** Values are decoded when they are requested the first time; the texts of a block mostly are pieces of one. */
class GrowingDictionary implements Dictionary {
  readonly #parts: DictionaryPart[] = [];
  readonly #values: (JsonValue | SameOriginUrl)[] = [];
  numValues = 0;
  hasSameOriginUrls = false;

  add(part: Uint8Array): void {
    const { bytes, ends } = decodeDictionaryPart(part);
    this.#parts.push({ first: this.numValues, bytes, ends, blocks: [] });
    this.numValues += ends.length;
    for (let entry = 0; entry < ends.length && !this.hasSameOriginUrls; entry += 1) {
      const kind = bytes[entry === 0 ? 0 : ends[entry - 1]!];
      this.hasSameOriginUrls = kind === KINDS.sameOriginHttp || kind === KINDS.sameOriginHttps;
    }
  }

  valueAt(index: number): JsonValue | SameOriginUrl {
    return (this.#values[index] ??= this.#decode(index));
  }

  #decode(index: number): JsonValue | SameOriginUrl {
    const part = this.#partOf(index);
    const { bytes, ends, blocks } = part;
    const entry = index - part.first;
    const start = entry === 0 ? 0 : ends[entry - 1]!;
    const kind = bytes[start]!;
    const block = entry >> BLOCK_BITS;
    const firstEntry = block << BLOCK_BITS;
    const blockStart = firstEntry === 0 ? 0 : ends[firstEntry - 1]!;
    if (blocks[block] === undefined) {
      const end = ends[Math.min(ends.length, firstEntry + (1 << BLOCK_BITS)) - 1]!;
      // A character of several bytes is one or two; as many characters as bytes are all of one byte.
      const text = decoder.decode(bytes.subarray(blockStart, end));
      blocks[block] = text.length === end - blockStart ? text : null;
    }
    const text = blocks[block];
    if (text === null || text === undefined || kind === KINDS.json)
      return decodeEntry(bytes.subarray(start, ends[entry]));
    return valueOfKind(kind, text.slice(start + 1 - blockStart, ends[entry]! - blockStart));
  }

  /** An entry as it is stored: its kind, then its text. */
  bytesAt(index: number): Uint8Array {
    const { first, bytes, ends } = this.#partOf(index);
    const entry = index - first;
    return bytes.subarray(entry === 0 ? 0 : ends[entry - 1], ends[entry]);
  }

  #partOf(index: number): DictionaryPart {
    const part = this.#parts.findLast(({ first }) => first <= index);
    if (!part || index >= this.numValues) throw new DamagedColumnError(`a code has no value: ${index}`);
    return part;
  }
}
