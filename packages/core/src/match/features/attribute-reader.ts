import type { Cell } from '../../columns/column.js';
import type { Attributes } from '../../request/record.js';
import { LazyRequest } from '../../request/request.js';

/** The attributes of a request, or some of them, and the request that they make; many features are read from one. */
export class AttributeReader {
  readonly #attributes: Record<string, Cell>;
  readonly request: LazyRequest;

  /** @param attributes are the reading's own from here on, if it is written to */
  constructor(attributes: Attributes | Record<string, Cell>) {
    this.#attributes = attributes as Record<string, Cell>;
    this.request = new LazyRequest(attributes as Attributes);
  }

  /** Makes it the reading of another request. */
  set(name: string, cell: Cell): void {
    this.#attributes[name] = cell;
    this.request.invalidate();
  }

  get attributes(): Attributes {
    return this.#attributes as Attributes;
  }
}
