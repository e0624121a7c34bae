import type { ChunkRows } from '../columns/chunk.js';
import type { Decision, Ruling } from '../decide/decision.js';
import { decide, type Judge } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import type { LogRecord } from '../request/record.js';
import { normalizeRequest, type Request } from '../request/request.js';
import { addDecision, createTally, type Tally } from './tally.js';

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
    isHeaderIgnored,
  }: Ruling): number {
    const ruling: Ruling = { outcome, gate, fence, rule, status, reason, would, tags, blind, matched, isHeaderIgnored };
    const key = JSON.stringify(ruling);
    let code = this.#codes.get(key);
    if (code === undefined) {
      code = this.rulings.push(ruling) - 1;
      this.#codes.set(key, code);
    }
    return code;
  }
}

/** Judges requests one after the other, which must be the order of their time where the rules remember, and counts what they come to. */
export class Replay {
  readonly tally: Tally = createTally();

  /** @param state what requests before these left behind; brought up to date */
  constructor(
    private readonly judge: Judge,
    readonly state: State = new State(),
  ) {}

  /** Judges a record; the decision is counted. */
  next(record: LogRecord): { request: Request; decision: Decision } {
    const request = normalizeRequest(record);
    const decision = decide(this.judge, request, this.state);
    addDecision(this.tally, decision, request.atUnixMs, request.host);
    return { request, decision };
  }
}

/**
 * Judges a chunk of a stored log.
 * @param rulings interns the decisions; shared by all chunks of a replay
 * @param progress called now and then with the number of rows done
 * @returns one code a row
 */
export function replayChunk(
  replay: Replay,
  rows: ChunkRows,
  rulings: RulingTable,
  progress: (numRowsDone: number) => void,
): Uint32Array {
  const codes = new Uint32Array(rows.numRows);
  for (let row = 0; row < rows.numRows; row += 1) {
    codes[row] = rulings.codeFor(replay.next(rows.row(row) as LogRecord).decision);
    if ((row + 1) % PROGRESS_ROWS === 0) progress(row + 1);
  }
  return codes;
}

const PROGRESS_ROWS = 5000;
