/** A replay compared with what the log recorded: which requests were stopped in fact, and which would be. */
import type { ChunkRows } from '../columns/chunk.js';
import { statusOf } from '../decide/aspects.js';
import { isStop, type Ruling } from '../decide/decision.js';
import type { Outcome } from '../language/outcomes.js';
import { sideOf, type RedirectOf, type Side } from './comparison.js';
import { NOT_JUDGED } from './replay-chunk.js';

/** Statuses that mean a stop unless others are given: too many requests, and unavailable for legal reasons (RFC 6585, 7725). */
export const RECORDED_STOPS: readonly number[] = [429, 451];

/** What the log shows to have happened; unknown where it has no status. */
export type RecordedOutcome = 'passed' | 'stopped' | 'unknown';

/** Requests of one recorded status that are decided alike. */
export interface RecordedGroup {
  readonly recorded: RecordedOutcome;
  /** As the log has it; absent without one. */
  readonly status?: string;
  readonly after: Side;
  /** Whether one stops them and the other does not. */
  readonly isDifferent: boolean;
  requests: number;
  firstUnixMs: number;
  lastUnixMs: number;
}

/** Plain data. */
export interface RecordedTally {
  requests: number;
  /** Requests that were stopped and would pass now, and the other way round. */
  newlyPassed: number;
  newlyStopped: number;
  /** Requests by what was recorded \ their outcome in the replay. */
  matrix: Partial<Record<RecordedOutcome, Partial<Record<Outcome, number>>>>;
  /** Those that differ first, most requests first. */
  groups: RecordedGroup[];
}

const STATUS = 'http.response.status_code';

/** Adds up the chunks of a log. */
export class RecordedComparison {
  readonly #sides: readonly { readonly side: Side; readonly key: string }[];
  readonly #groups = new Map<string, RecordedGroup>();
  /** By recorded status, the groups by the code of a ruling. */
  readonly #byStatus = new Map<string | undefined, (RecordedGroup | undefined)[]>();

  /** @param rulings of the replay, by their codes. @param stops statuses that mean a stop */
  constructor(
    rulings: readonly Ruling[],
    redirectOf: RedirectOf,
    private readonly stops: readonly number[] = RECORDED_STOPS,
  ) {
    this.#sides = rulings.map((ruling) => {
      const side = sideOf(ruling, redirectOf);
      return { side, key: JSON.stringify(side) };
    });
  }

  /** @param codes of the rows of the chunk in the replay */
  add(rows: ChunkRows, codes: Uint32Array): void {
    const times = rows.timesUnixMs();
    this.visit(rows, codes, (row, group) => {
      group.requests += 1;
      group.firstUnixMs = Math.min(group.firstUnixMs, times[row]!);
      group.lastUnixMs = Math.max(group.lastUnixMs, times[row]!);
    });
  }

  /** Gives each row that was judged, with its group. */
  visit(rows: ChunkRows, codes: Uint32Array, receive: (row: number, group: RecordedGroup) => void): void {
    const column = rows.column(STATUS);
    const spilled = new Set(rows.spilledRows);
    const known: ((RecordedGroup | undefined)[] | undefined)[] = [];
    for (let row = 0; row < codes.length; row += 1) {
      const code = codes[row]!;
      if (code === NOT_JUDGED) continue;
      const cell = column ? column.codes[row]! : 0;
      const groups =
        spilled.size > 0 && spilled.has(row)
          ? this.#groupsOf(statusAt(rows, row))
          : (known[cell] ??= this.#groupsOf(statusAt(rows, row)));
      receive(row, (groups[code] ??= this.#groupOf(statusAt(rows, row), code)));
    }
  }

  #groupsOf(status: string | undefined): (RecordedGroup | undefined)[] {
    let groups = this.#byStatus.get(status);
    if (!groups) this.#byStatus.set(status, (groups = []));
    return groups;
  }

  #groupOf(status: string | undefined, code: number): RecordedGroup {
    const { side, key } = this.#sides[code]!;
    const name = `${status ?? ''} ${key}`;
    let group = this.#groups.get(name);
    if (!group) {
      const recorded = status === undefined ? 'unknown' : this.stops.includes(Number(status)) ? 'stopped' : 'passed';
      const isDifferent = recorded !== 'unknown' && (recorded === 'stopped') !== isStop(side.outcome);
      group = {
        recorded,
        ...(status === undefined ? {} : { status }),
        after: side,
        isDifferent,
        requests: 0,
        firstUnixMs: Number.POSITIVE_INFINITY,
        lastUnixMs: Number.NEGATIVE_INFINITY,
      };
      this.#groups.set(name, group);
    }
    return group;
  }

  tally(): RecordedTally {
    const tally: RecordedTally = { requests: 0, newlyPassed: 0, newlyStopped: 0, matrix: {}, groups: [] };
    for (const group of this.#groups.values()) {
      const { recorded, after, isDifferent, requests } = group;
      const row = (tally.matrix[recorded] ??= {});
      row[after.outcome] = (row[after.outcome] ?? 0) + requests;
      tally.requests += requests;
      if (isDifferent) tally[recorded === 'stopped' ? 'newlyPassed' : 'newlyStopped'] += requests;
      tally.groups.push(group);
    }
    tally.groups.sort(
      (a, b) =>
        Number(b.isDifferent) - Number(a.isDifferent) ||
        b.requests - a.requests ||
        (recordedKey(a) < recordedKey(b) ? -1 : 1),
    );
    return tally;
  }
}

/** Identifies a group. */
export function recordedKey({ status, after }: RecordedGroup): string {
  return `${status ?? ''} ${JSON.stringify(after)}`;
}

function statusAt(rows: ChunkRows, row: number): string | undefined {
  return statusOf(rows.attributesAt(row) as Parameters<typeof statusOf>[0]) ?? undefined;
}
