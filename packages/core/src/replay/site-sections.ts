/** The hosts of a log, and the sections of a site: what its paths begin with. */
import type { ChunkRows } from '../columns/chunk.js';
import { feature, hostFeature } from '../match/features/features.js';
import { KeyFeature, KeyInterner } from '../match/features/keys.js';
import { Plan } from '../match/rows/plan.js';
import { ChunkReader } from '../match/rows/row-readers.js';
import { HTTP_INPUTS } from '../request/fields.js';

export interface CountedValue {
  readonly value: string;
  readonly requests: number;
}

/** Those with most requests first. */
export interface SiteSections {
  readonly hosts: readonly CountedValue[];
  /** Paths by whole segments, up to three of them: `/a`, `/a/b`. */
  readonly sections: readonly CountedValue[];
}

const MAX_SEGMENTS = 3;
const SHOWN = 200;
const PATH_INPUTS = [...HTTP_INPUTS, 'http.request.method', 'url.full', 'url.path'];

/** Counts each value once a chunk. */
export class SectionCounter extends Plan {
  readonly #texts = new KeyInterner();
  readonly #host: number;
  readonly #path: number;
  readonly #hosts = new Map<string, number>();
  readonly #sections = new Map<string, number>();

  /** @param site only paths of this host and those below it are counted; of all where absent */
  constructor(private readonly site?: string) {
    super();
    const host = feature('host to count', hostFeature.inputs, (reading) => hostFeature.read(reading) ?? undefined);
    const path = feature('path to count', PATH_INPUTS, ({ request }) => request.path ?? undefined);
    this.#host = this.slotFor(new KeyFeature(host, this.#texts));
    this.#path = this.slotFor(new KeyFeature(path, this.#texts));
    this.seal();
  }

  add(rows: ChunkRows): void {
    if (this.isFull) {
      this.clear();
      this.#texts.clear();
    }
    const reader = new ChunkReader(this, rows);
    const hosts = new Map<number, number>();
    const paths = new Map<number, number>();
    const isOfSite = new Map<number, boolean>();
    for (let row = 0; row < rows.numRows; row += 1) {
      reader.row = row;
      const host = reader.numberOf(this.#host);
      hosts.set(host, (hosts.get(host) ?? 0) + 1);
      let isCounted = isOfSite.get(host);
      if (isCounted === undefined) isOfSite.set(host, (isCounted = this.#isOfSite(host)));
      if (!isCounted) continue;
      const path = reader.numberOf(this.#path);
      paths.set(path, (paths.get(path) ?? 0) + 1);
    }
    for (const [number, times] of hosts) if (number >= 0) increment(this.#hosts, this.#texts.textOf(number), times);
    for (const [number, times] of paths)
      if (number >= 0)
        for (const section of sectionsOf(this.#texts.textOf(number))) increment(this.#sections, section, times);
  }

  #isOfSite(number: number): boolean {
    if (this.site === undefined) return true;
    const host = number < 0 ? '' : this.#texts.textOf(number);
    return host === this.site || host.endsWith(`.${this.site}`);
  }

  result(): SiteSections {
    return { hosts: busiest(this.#hosts), sections: busiest(this.#sections) };
  }
}

/** Adds up the parts of a log; a value that is not among the first of a part is not counted there. */
export function addSections(parts: readonly SiteSections[]): SiteSections {
  const [hosts, sections] = [new Map<string, number>(), new Map<string, number>()];
  for (const part of parts) {
    for (const { value, requests } of part.hosts) increment(hosts, value, requests);
    for (const { value, requests } of part.sections) increment(sections, value, requests);
  }
  return { hosts: busiest(hosts), sections: busiest(sections) };
}

/** `/a`, `/a/b` and `/a/b/c` of `/a/b/c/d`. */
export function sectionsOf(path: string): string[] {
  const segments = path.split('/').slice(1, 1 + MAX_SEGMENTS);
  return segments.flatMap((segment, index) => (segment === '' ? [] : [`/${segments.slice(0, index + 1).join('/')}`]));
}

function increment(counts: Map<string, number>, value: string, by: number): void {
  counts.set(value, (counts.get(value) ?? 0) + by);
}

function busiest(counts: ReadonlyMap<string, number>): CountedValue[] {
  return [...counts]
    .map(([value, requests]) => ({ value, requests }))
    .sort((a, b) => b.requests - a.requests || a.value.length - b.value.length || (a.value < b.value ? -1 : 1))
    .slice(0, SHOWN);
}
