import { DamagedColumnError, decodeDictionaryPart, decodeEntry, type Dictionary, type JsonValue } from './column.js';

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

/** Values are decoded when they are asked for the first time. */
class GrowingDictionary implements Dictionary {
  readonly #parts: { readonly first: number; readonly bytes: Uint8Array; readonly ends: Int32Array }[] = [];
  readonly #values: JsonValue[] = [];
  numValues = 0;

  add(part: Uint8Array): void {
    const { bytes, ends } = decodeDictionaryPart(part);
    this.#parts.push({ first: this.numValues, bytes, ends });
    this.numValues += ends.length;
  }

  valueAt(index: number): JsonValue {
    return (this.#values[index] ??= decodeEntry(this.bytesAt(index)));
  }

  /** An entry as it is stored: its kind, then its text. */
  bytesAt(index: number): Uint8Array {
    const part = this.#parts.findLast(({ first }) => first <= index);
    if (!part || index >= this.numValues) throw new DamagedColumnError(`a code stands for no value: ${index}`);
    const entry = index - part.first;
    return part.bytes.subarray(entry === 0 ? 0 : part.ends[entry - 1], part.ends[entry]);
  }
}
