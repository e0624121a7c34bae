import { LRUCache } from 'lru-cache';

/** Recently used values that take long to make. */
export class Recent<V> {
  readonly #kept: LRUCache<string, Promise<V>>;

  /** @param max how many values are kept; the least recently used one is evicted first */
  constructor(max: number) {
    this.#kept = new LRUCache({ max });
  }

  /** The value of a key, made where it is not kept. One that cannot be made is not kept. */
  get(key: string, make: () => Promise<V>): Promise<V> {
    const found = this.#kept.get(key) ?? make();
    this.#kept.set(key, found);
    found.catch(() => {
      if (this.#kept.peek(key) === found) this.#kept.delete(key);
    });
    return found;
  }
}
