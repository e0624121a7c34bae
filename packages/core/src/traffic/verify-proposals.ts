/** What proposed rules stop, counted over all of a log by the engine. */
import type { EvaluationContext } from '../decide/interpreter.js';
import { CHOSEN, SPARED, type DecidedSegment } from './decided-log.js';
import { observing, forEachRow } from './observing-rules.js';
import { RequestValues } from './request-values.js';
import { LIMIT_WORTH, scoreOf, type Proposal } from './suggest.js';

const SHOWN_CLIENTS = 10;
/** A share of what is to be spared. */
const HARDLY = 0.001;

/** A rule with what it stops. */
export interface Suggestion extends Proposal {
  /** Requests that were to be stopped and are, and those that were to be spared and are stopped. */
  readonly stopped: number;
  readonly collateral: number;
  /** Clients of the collateral, most requests first; at most ten. */
  readonly clients: readonly { readonly client: string; readonly requests: number }[];
}

export interface Suggestions {
  /** Requests that were to be stopped, and to be spared. */
  readonly chosen: number;
  readonly spared: number;
  /** The best first. */
  readonly rules: readonly Suggestion[];
}

/** Goes through the log once more in the order of its time, with the proposals as rules that only record. */
export class ProposalCounter {
  readonly #observed: ReturnType<typeof observing>;
  readonly #values: RequestValues;
  readonly #counts: { stopped: number; collateral: number; clients: Map<number, number> }[];
  #chosen = 0;
  #spared = 0;

  constructor(
    context: EvaluationContext,
    private readonly proposals: readonly Proposal[],
  ) {
    this.#observed = observing(
      context,
      proposals.map(({ action, condition }) => `${action === 'block' ? 'observe' : action} when ${condition}`),
    );
    this.#values = new RequestValues(context, ['client']);
    this.#counts = proposals.map(() => ({ stopped: 0, collateral: 0, clients: new Map<number, number>() }));
  }

  /** The attributes that it reads. */
  get attributes(): string[] {
    return [...new Set([...this.#observed.attributes, ...this.#values.attributes])];
  }

  /** @param purposes by index of the chunks of the segment, of their rows */
  add(segment: DecidedSegment, purposes: readonly Uint8Array[]): void {
    const judged = this.#observed.judge(segment);
    const readers = segment.chunks.map(({ rows }) => this.#values.open(rows));
    forEachRow(segment, (index, chunk, row) => {
      const purpose = purposes[chunk]![row];
      if (purpose === CHOSEN) this.#chosen += 1;
      else if (purpose === SPARED) this.#spared += 1;
      else return;
      const { matched, gate } = judged(index);
      for (const proposal of matched) {
        const count = this.#counts[proposal]!;
        if (purpose === CHOSEN) count.stopped += 1;
        else {
          count.collateral += 1;
          const reader = readers[chunk]!;
          reader.row = row;
          const client = this.#values.numberOf('client', reader, this.#values.gateNumber(gate));
          count.clients.set(client, (count.clients.get(client) ?? 0) + 1);
        }
      }
    });
  }

  result(): Suggestions {
    const rules = this.proposals.map((proposal, at): Suggestion => {
      const { stopped, collateral, clients } = this.#counts[at]!;
      return {
        ...proposal,
        stopped,
        collateral,
        clients: [...clients]
          .map(([client, requests]) => ({ client: this.#values.textOf('client', client) ?? '(none)', requests }))
          .sort((a, b) => b.requests - a.requests || (a.client < b.client ? -1 : 1))
          .slice(0, SHOWN_CLIENTS),
      };
    });
    return { chosen: this.#chosen, spared: this.#spared, rules: this.#sorted(rules) };
  }

  /** Limits go before the first rule that is worth less; without one, they are shown where they stop hardly anything besides. */
  #sorted(rules: readonly Suggestion[]): readonly Suggestion[] {
    const worth = ({ action, stopped, collateral, comparisons }: Suggestion): number =>
      scoreOf(
        stopped / Math.max(1, this.#chosen),
        collateral / Math.max(1, this.#spared),
        comparisons + (action === 'block' ? 0 : LIMIT_WORTH),
        1,
      );
    const sorted = rules.filter(({ action }) => action === 'block');
    for (const limit of rules.filter(({ action }) => action !== 'block')) {
      const place = sorted.findIndex((one) => worth(one) < worth(limit));
      if (place < 0 && sorted.length > 0 && limit.collateral > this.#spared * HARDLY) continue;
      sorted.splice(place < 0 ? sorted.length : place, 0, limit);
    }
    return sorted;
  }
}
