/** A binary heap whose top is the item before all others. */
export class Heap<T> {
  readonly #items: T[] = [];

  /** @param isBefore a strict order */
  constructor(private readonly isBefore: (a: T, b: T) => boolean) {}

  get top(): T | undefined {
    return this.#items[0];
  }

  push(item: T): void {
    const items = this.#items;
    let at = items.push(item) - 1;
    while (at > 0) {
      const parent = (at - 1) >> 1;
      if (!this.isBefore(item, items[parent]!)) break;
      items[at] = items[parent]!;
      at = parent;
    }
    items[at] = item;
  }

  pop(): void {
    const items = this.#items;
    const item = items.pop();
    if (item === undefined || items.length === 0) return;
    let at = 0;
    for (;;) {
      let child = 2 * at + 1;
      if (child >= items.length) break;
      if (child + 1 < items.length && this.isBefore(items[child + 1]!, items[child]!)) child += 1;
      if (!this.isBefore(items[child]!, item)) break;
      items[at] = items[child]!;
      at = child;
    }
    items[at] = item;
  }
}
