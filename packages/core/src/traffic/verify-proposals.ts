/** What proposed rules stop, counted over all of a log by the engine. */
import { checkFences } from '../check/check-fences.js';
import type { ChunkRows } from '../columns/chunk.js';
import { ruleId } from '../decide/decision.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import { Program } from '../match/compile/program.js';
import { ChunkReplay, NOT_JUDGED } from '../replay/replay-chunk.js';
import { invariant } from '../request/invariant.js';
import { CHOSEN, SPARED, type Proposal } from './suggest.js';
import { RequestValues } from './request-values.js';

const FENCE = 'proposed';
const SHOWN_CLIENTS = 10;

/** A rule with what it stops. */
export interface Suggestion {
  readonly condition: string;
  readonly comparisons: number;
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

/** Goes through the log once more, with the proposals as rules that only record. */
export class ProposalCounter {
  readonly #replay: ChunkReplay;
  readonly #values: RequestValues;
  readonly #program: Program;
  readonly #counts: { stopped: number; collateral: number; clients: Map<number, number> }[];
  #chosen = 0;
  #spared = 0;

  constructor(
    context: EvaluationContext,
    private readonly proposals: readonly Proposal[],
  ) {
    const { rulebook } = context;
    const rules = proposals.map(({ condition }, at) => `  rule p${at} observe when ${condition}`);
    const text = [`fence ${FENCE} enforce {`, ...rules, '}'].join('\n');
    const { rulebook: own, diagnostics } = checkFences([{ path: 'proposed', text }], []);
    invariant(own, `a proposed rule cannot be read: ${diagnostics[0]?.message}`);
    const [fence] = own.fences;
    this.#program = new Program({
      ...context,
      rulebook: {
        ...rulebook,
        gates: rulebook.gates.map((gate) => ({ ...gate, fences: [fence!] })),
        fences: [fence!],
        lookups: own.lookups,
        endsAtUnixMs: own.endsAtUnixMs,
      },
    });
    this.#replay = new ChunkReplay(this.#program);
    this.#values = new RequestValues(context, ['client']);
    this.#counts = proposals.map(() => ({ stopped: 0, collateral: 0, clients: new Map<number, number>() }));
  }

  /** The attributes that it reads. */
  get attributes(): string[] {
    return [...new Set([...this.#program.attributes, ...this.#values.attributes])];
  }

  /** @param purposes of the rows of the chunk */
  add(rows: ChunkRows, judged: Uint32Array, purposes: Uint8Array): void {
    const { codes } = this.#replay.judge([rows]);
    const reader = this.#values.open(rows);
    for (let row = 0; row < codes.length; row += 1) {
      if (judged[row] === NOT_JUDGED) continue;
      const purpose = purposes[row];
      if (purpose === CHOSEN) this.#chosen += 1;
      else if (purpose === SPARED) this.#spared += 1;
      else continue;
      const { matched, gate } = this.#replay.table.rulings[codes[row]!]!;
      for (const [at, count] of this.#counts.entries()) {
        if (!matched.includes(ruleId(FENCE, `p${at}`))) continue;
        if (purpose === CHOSEN) count.stopped += 1;
        else {
          count.collateral += 1;
          reader.row = row;
          const client = this.#values.numberOf('client', reader, this.#values.gateNumber(gate));
          count.clients.set(client, (count.clients.get(client) ?? 0) + 1);
        }
      }
    }
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
    return { chosen: this.#chosen, spared: this.#spared, rules };
  }
}
