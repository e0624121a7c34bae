/** Searches rules for a decided log, and counts what each stops. */
import { TooManyKeysError } from '../match/counters/counter-store.js';
import { CHOSEN, OTHER, SPARED, type DecidedChunk, type DecidedLog, type RowsByChunk } from './decided-log.js';
import { RuleSearch, type Proposal } from './suggest.js';
import { LimitSearch } from './suggest-limits.js';
import { ProposalCounter, type Suggestions } from './verify-proposals.js';

export interface Purposes {
  /** To be stopped. */
  readonly chosen: RowsByChunk;
  /** To be spared; all others where absent. */
  readonly spared?: RowsByChunk;
}

export interface SuggestedRules extends Suggestions {
  /** By gate, how many of the chosen requests it judged; none where no gate judged any. */
  readonly gates: ReadonlyMap<string, number>;
}

/** Goes through the log three times: for what the chosen have in common, how often they come, and what each rule stops. */
export async function suggestRules(log: DecidedLog, purposes: Purposes): Promise<SuggestedRules> {
  const { context, rulings } = log;
  const gates = new Map<string, number>();
  const search = new RuleSearch(context, await log.headers());
  for await (const one of log.chunks(search.attributes)) {
    for (const row of purposes.chosen.get(one.chunk) ?? []) {
      const gate = rulings[one.codes[row]!]?.gate;
      if (gate !== undefined) gates.set(gate, (gates.get(gate) ?? 0) + 1);
    }
    search.add(one.rows, one.codes, rulings, purposesOf(one, purposes));
  }
  const proposals = search.propose();
  const limits = new LimitSearch(context, search.countable());
  for await (const segment of log.segments(limits.attributes))
    limits.add(
      segment,
      segment.chunks.map((chunk) => purposesOf(chunk, purposes)),
    );
  const all = [...proposals, ...limits.propose()];
  try {
    return { gates, ...(await count(log, purposes, all)) };
  } catch (error) {
    if (!(error instanceof TooManyKeysError)) throw error;
    // More clients than can be counted: their limits are left out.
    return { gates, ...(await count(log, purposes, proposals)) };
  }
}

async function count(log: DecidedLog, purposes: Purposes, proposals: readonly Proposal[]): Promise<Suggestions> {
  const counter = new ProposalCounter(log.context, proposals);
  for await (const segment of log.segments(counter.attributes))
    counter.add(
      segment,
      segment.chunks.map((chunk) => purposesOf(chunk, purposes)),
    );
  return counter.result();
}

/** What each row of a chunk is for. */
function purposesOf({ chunk, codes }: DecidedChunk, { chosen, spared }: Purposes): Uint8Array {
  const purposes = new Uint8Array(codes.length).fill(spared ? OTHER : SPARED);
  for (const row of spared?.get(chunk) ?? []) purposes[row] = SPARED;
  for (const row of chosen.get(chunk) ?? []) purposes[row] = CHOSEN;
  return purposes;
}
