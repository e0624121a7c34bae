/** The most requests that one client made within one minute of the clock. */
export interface Burst {
  readonly client: string;
  readonly requests: number;
  readonly minuteUnixMs: number;
}

const MINUTE_MS = 60_000;
/** Minutes that may still get requests; a log may be out of order by less than this. */
const OPEN_MINUTES = 5;
const KEPT_BURSTS = 20;
const MAX_OPEN_CLIENTS = 500_000;

/** Finds each client's busiest minute. Only the latest minutes are kept open; requests that come later than that are counted as missed. */
export class PeakRates {
  readonly #open = new Map<number, Map<string, number>>();
  #best: Burst[] = [];
  #latest = -Infinity;
  #numMissed = 0;
  #numOpen = 0;

  add(client: string, atUnixMs: number): void {
    const minute = Math.floor(atUnixMs / MINUTE_MS);
    if (minute <= this.#latest - OPEN_MINUTES) {
      this.#numMissed += 1;
      return;
    }
    if (minute > this.#latest) {
      this.#latest = minute;
      for (const open of [...this.#open.keys()]) if (open <= minute - OPEN_MINUTES) this.#close(open);
    }
    let counts = this.#open.get(minute);
    if (!counts) this.#open.set(minute, (counts = new Map()));
    const count = counts.get(client);
    if (count === undefined && this.#numOpen >= MAX_OPEN_CLIENTS) {
      this.#numMissed += 1;
      return;
    }
    if (count === undefined) this.#numOpen += 1;
    counts.set(client, (count ?? 0) + 1);
  }

  #close(minute: number): void {
    const counts = this.#open.get(minute)!;
    this.#best = mergeBursts(this.#best, minute * MINUTE_MS, counts);
    this.#open.delete(minute);
    this.#numOpen -= counts.size;
  }

  /** Busiest first, one a client. `isExact` is false where requests came too late or too many clients came at once. */
  result(): { bursts: Burst[]; isExact: boolean } {
    const bursts = [...this.#open].reduce(
      (best, [minute, counts]) => mergeBursts(best, minute * MINUTE_MS, counts),
      this.#best,
    );
    return { bursts, isExact: this.#numMissed === 0 };
  }
}

function mergeBursts(best: readonly Burst[], minuteUnixMs: number, counts: ReadonlyMap<string, number>): Burst[] {
  const floor = best.length < KEPT_BURSTS ? 0 : best.at(-1)!.requests;
  const byClient = new Map(best.map((burst) => [burst.client, burst]));
  for (const [client, requests] of counts) {
    if (requests > floor && requests > (byClient.get(client)?.requests ?? 0))
      byClient.set(client, { client, requests, minuteUnixMs });
  }
  return [...byClient.values()]
    .sort((a, b) => b.requests - a.requests || a.minuteUnixMs - b.minuteUnixMs || (a.client < b.client ? -1 : 1))
    .slice(0, KEPT_BURSTS);
}
