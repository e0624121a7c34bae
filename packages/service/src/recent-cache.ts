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
    const item = this.#kept.get(key) ?? make();
    this.#kept.set(key, item);
    item.catch(() => {
      if (this.#kept.peek(key) === item) this.#kept.delete(key);
    });
    return item;
  }
}
