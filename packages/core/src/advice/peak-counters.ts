/** Counts for limits without stopping anything, and keeps how high each counter got. */
import { growFloats, growWords } from '../arrays/grow.js';
import { CounterStore, TooManyKeysError, type KeyNames, type Window } from '../match/counters/counter-store.js';

/** Parts of the time of the log, of equal length, for each of which the requests of a key are counted. */
export const NUM_TIMES = 16;
const FIRST_STEP_MS = 1000;
const NONE = -1;

/** What a limit counted under one key. */
export interface Peak {
  /** Of the limit, as `fence/rule`. */
  readonly rule: string;
  /** The gate it counts at; empty where it counts across gates. */
  readonly gate: string;
  /** The values of its keys; null for none. */
  readonly values: readonly (string | number | boolean | null)[];
  /** The largest number of requests in a window that ends with one of them. */
  readonly peak: number;
  readonly requests: number;
  /** When the peak was reached first. */
  readonly peakAtUnixMs: number;
  /** Requests by part of the time, see `Times`. */
  readonly times: readonly number[];
}

export interface Times {
  readonly fromUnixMs: number;
  readonly stepMs: number;
}

/** In the place of the memory of limits, for requests in the order of their time. */
export class PeakCounters extends CounterStore {
  #names: KeyNames = () => '';
  /** By limit, the index of each key; and by text where the numbers mean something else by now. */
  #indexes: Int32Array[] = [];
  readonly #byText = new Map<string, number>();
  /** By limit, whether it is followed. */
  readonly #isFollowed: boolean[] = [];
  readonly #ruleByLimit: string[] = [];
  /** By index, the limit and the key that it has now, and its name where that was made. */
  readonly #limits: number[] = [];
  readonly #keys: number[] = [];
  readonly #texts: string[] = [];
  #peaks = new Int32Array(1024);
  #requests = new Int32Array(1024);
  #peakAt = new Float64Array(1024);
  #times = new Int32Array(1024 * NUM_TIMES);
  #size = 0;
  #fromUnixMs = Number.NaN;
  #toUnixMs = Number.NaN;
  #windowMs = 0;
  #stepMs = FIRST_STEP_MS;
  /** Of each followed rule, by how many requests lay in the window: of how many requests that is so. */
  readonly #byCount = new Map<string, Float64Array>();
  readonly #byCountOf: Float64Array[] = [];
  readonly #endless = new Map<Window, Window>();

  /**
   * @param followed rules, as `fence/rule`, whose counters are kept; other limits work as they do
   * @param maxPeaks more keys are refused
   */
  constructor(
    private readonly followed: ReadonlySet<string>,
    private readonly maxPeaks: number,
  ) {
    super(undefined, maxPeaks);
  }

  override setKeyNames(names: KeyNames): void {
    super.setKeyNames(names);
    this.#names = names;
  }

  override spillToText(): void {
    super.spillToText();
    for (let index = 0; index < this.#size; index += 1) this.#byText.set(this.#textOf(index), index);
    this.#indexes = [];
  }

  override count(limit: number, key: number, atUnixMs: number, window: Window): boolean {
    if (!(this.#isFollowed[limit] ??= this.#follow(limit, key))) return super.count(limit, key, atUnixMs, window);
    let endless = this.#endless.get(window);
    if (!endless) this.#endless.set(window, (endless = { ...window, max: Number.MAX_SAFE_INTEGER, holdMs: undefined }));
    super.count(limit, key, atUnixMs, endless);
    this.#windowMs = Math.max(this.#windowMs, window.windowMs);
    const index = this.#indexOf(limit, key);
    const count = this.latestCount;
    if (count > this.#peaks[index]!) {
      this.#peaks[index] = count;
      this.#peakAt[index] = atUnixMs;
    }
    this.#requests[index]! += 1;
    this.#times[index * NUM_TIMES + this.#timeOf(atUnixMs)]! += 1;
    let byCount = this.#byCountOf[limit]!;
    if (count >= byCount.length) {
      while (count >= byCount.length) byCount = growFloats(byCount);
      this.#byCountOf[limit] = byCount;
      const rule = this.#ruleOf(limit, key);
      this.#byCount.set(rule, byCount);
      // The other gates of the rule go on with the same.
      for (const [other, is] of this.#isFollowed.entries())
        if (is && this.#ruleByLimit[other] === rule) this.#byCountOf[other] = byCount;
    }
    byCount[count]! += 1;
    return false;
  }

  #ruleOf(limit: number, key: number): string {
    return (this.#ruleByLimit[limit] ??= (JSON.parse(this.#names(limit, key)) as string[])[1]!);
  }

  #follow(limit: number, key: number): boolean {
    const rule = this.#ruleOf(limit, key);
    if (!this.followed.has(rule)) return false;
    let byCount = this.#byCount.get(rule);
    if (!byCount) this.#byCount.set(rule, (byCount = new Float64Array(64)));
    this.#byCountOf[limit] = byCount;
    return true;
  }

  #indexOf(limit: number, key: number): number {
    let indexes = (this.#indexes[limit] ??= new Int32Array(1024).fill(NONE));
    if (key >= indexes.length) {
      const { length } = indexes;
      while (key >= indexes.length) indexes = growWords(indexes);
      this.#indexes[limit] = indexes.fill(NONE, length);
    }
    const known = indexes[key]!;
    if (known !== NONE) return known;
    const index = (this.#byText.size > 0 ? this.#byText.get(this.#names(limit, key)) : undefined) ?? this.#add();
    this.#limits[index] = limit;
    this.#keys[index] = key;
    indexes[key] = index;
    return index;
  }

  #add(): number {
    if (this.#size === this.maxPeaks) throw new TooManyKeysError(this.maxPeaks);
    if (this.#size === this.#peaks.length) {
      this.#peaks = growWords(this.#peaks);
      this.#requests = growWords(this.#requests);
      this.#peakAt = growFloats(this.#peakAt);
      this.#times = growWords(this.#times);
    }
    this.#size += 1;
    return this.#size - 1;
  }

  /** The part of the time of a request; parts become longer where the log does. */
  #timeOf(atUnixMs: number): number {
    if (Number.isNaN(this.#fromUnixMs)) this.#fromUnixMs = atUnixMs;
    this.#toUnixMs = atUnixMs;
    let part = Math.floor((atUnixMs - this.#fromUnixMs) / this.#stepMs);
    while (part >= NUM_TIMES) {
      for (let index = 0; index < this.#size; index += 1) {
        const start = index * NUM_TIMES;
        for (let nth = 0; nth < NUM_TIMES / 2; nth += 1)
          this.#times[start + nth] = this.#times[start + nth * 2]! + this.#times[start + nth * 2 + 1]!;
        this.#times.fill(0, start + NUM_TIMES / 2, start + NUM_TIMES);
      }
      this.#stepMs *= 2;
      part = Math.floor((atUnixMs - this.#fromUnixMs) / this.#stepMs);
    }
    return Math.max(0, part);
  }

  /** The name of a key. It is made again where its number means something else by now. */
  #textOf(index: number): string {
    return this.#texts[index] ?? (this.#texts[index] = this.#names(this.#limits[index]!, this.#keys[index]!));
  }

  /** The parts of the time that `times` of peaks are of; undefined where nothing was counted. */
  get times(): Times | undefined {
    return Number.isNaN(this.#fromUnixMs) ? undefined : { fromUnixMs: this.#fromUnixMs, stepMs: this.#stepMs };
  }

  /** All that was counted lies in one window, or none was. */
  get isOneWindow(): boolean {
    return !(this.#toUnixMs - this.#fromUnixMs >= this.#windowMs);
  }

  /** Of a rule: by how many requests lay in the window, of how many requests that was so. */
  byCount(rule: string): Float64Array {
    return this.#byCount.get(rule) ?? new Float64Array(1);
  }

  get numPeaks(): number {
    return this.#size;
  }

  /** How high a counter got, and of which rule it is; by index. */
  peakAt(index: number): { readonly rule: string; readonly peak: number } {
    return { rule: this.#ruleByLimit[this.#limits[index]!]!, peak: this.#peaks[index]! };
  }

  /** All that is known of a counter. */
  describe(index: number): Peak {
    const [gate, rule, ...values] = JSON.parse(this.#textOf(index)) as [string, string, ...Peak['values']];
    return {
      rule,
      gate,
      values,
      peak: this.#peaks[index]!,
      requests: this.#requests[index]!,
      peakAtUnixMs: this.#peakAt[index]!,
      times: [...this.#times.subarray(index * NUM_TIMES, (index + 1) * NUM_TIMES)],
    };
  }
}
