import type { Ruling } from '../decide/decision.js';

/** Each distinct ruling of a replay once, with a code. */
export class RulingTable {
  readonly #codes = new Map<string, number>();
  readonly rulings: Ruling[] = [];

  codeFor({
    outcome,
    gate,
    fence,
    rule,
    status,
    reason,
    would,
    tags,
    blind,
    matched,
    throttled,
    isHeaderIgnored,
  }: Ruling): number {
    const ruling: Ruling = {
      outcome,
      gate,
      fence,
      rule,
      status,
      reason,
      would,
      tags,
      blind,
      matched,
      throttled,
      isHeaderIgnored,
    };
    const key = JSON.stringify(ruling);
    let code = this.#codes.get(key);
    if (code === undefined) {
      code = this.rulings.push(ruling) - 1;
      this.#codes.set(key, code);
    }
    return code;
  }
}
