/** Recently used values. */
export class Recent<V> {
  readonly #kept = new Map<string, Promise<V>>();

  /** @param max how many values are kept; the least recently used one is evicted first */
  constructor(private readonly max: number) {}

  /** The value of a key, made where it is not kept. One that cannot be made is not kept. */
  get(key: string, make: () => Promise<V>): Promise<V> {
    const found = this.#kept.get(key) ?? make();
    this.#kept.delete(key);
    this.#kept.set(key, found);
    if (this.#kept.size > this.max) this.#kept.delete(this.#kept.keys().next().value!);
    found.catch(() => {
      if (this.#kept.get(key) === found) this.#kept.delete(key);
    });
    return found;
  }
}
