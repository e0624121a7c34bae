/** Counts the decisions of many requests by their codes, which has the same result as counting them one by one. */
import type { Ruling } from '../decide/decision.js';
import { OUTCOMES } from '../language/outcomes.js';
import { addRequests, addUncoveredHosts, uncoveredName, type Tally } from './tally.js';
import { addToTimeline } from './timeline.js';

const TIMELINE_STEP_MS = 60_000;

export class TallyCounter {
  constructor(
    private readonly rulings: readonly Ruling[],
    private readonly codes: Uint32Array,
    private readonly atUnixMs: Float64Array,
  ) {}

  /** @param hostOf the host of a request by its index, called only for uncovered requests */
  addTo(tally: Tally, hostOf: (index: number) => string | null | undefined): void {
    const { rulings, codes, atUnixMs } = this;
    const counts = new Float64Array(rulings.length);
    const first = new Float64Array(rulings.length).fill(Number.POSITIVE_INFINITY);
    const last = new Float64Array(rulings.length).fill(Number.NEGATIVE_INFINITY);
    for (let index = 0; index < codes.length; index += 1) {
      const code = codes[index]!;
      const at = atUnixMs[index]!;
      counts[code]! += 1;
      if (at < first[code]!) first[code] = at;
      if (at > last[code]!) last[code] = at;
    }
    rulings.forEach((ruling, code) => {
      if (counts[code]! > 0) addRequests(tally, ruling, counts[code]!, first[code]!, last[code]!);
    });
    this.#addTimeline(tally);
    this.#addUncovered(tally, hostOf);
  }

  #addTimeline({ timeline }: Tally): void {
    const { codes, atUnixMs } = this;
    const outcomeOf = Uint8Array.from(this.rulings, ({ outcome }) => OUTCOMES.indexOf(outcome));
    const counts = new Float64Array(OUTCOMES.length);
    let stepUnixMs = Number.NaN;
    const flush = (): void => {
      OUTCOMES.forEach((outcome, index) => {
        if (counts[index]! > 0) addToTimeline(timeline, stepUnixMs, outcome, counts[index]!);
      });
      counts.fill(0);
    };
    for (let index = 0; index < codes.length; index += 1) {
      const at = atUnixMs[index]!;
      if (!(at >= stepUnixMs && at < stepUnixMs + TIMELINE_STEP_MS)) {
        flush();
        stepUnixMs = Math.floor(at / TIMELINE_STEP_MS) * TIMELINE_STEP_MS;
      }
      counts[outcomeOf[codes[index]!]!]! += 1;
    }
    flush();
  }

  #addUncovered(tally: Tally, hostOf: (index: number) => string | null | undefined): void {
    const uncovered = this.rulings.findIndex(({ outcome }) => outcome === 'uncovered');
    if (uncovered < 0) return;
    const hosts = new Map<string, number>();
    this.codes.forEach((code, index) => {
      if (code !== uncovered) return;
      const name = uncoveredName(hostOf(index));
      hosts.set(name, (hosts.get(name) ?? 0) + 1);
    });
    addUncoveredHosts(tally, hosts);
  }
}
