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

/** Rows of several chunks in the order in which they are to be judged. */
export interface RowSequence {
  /** Index of the chunk of each row. */
  readonly chunkOf: Uint32Array;
  readonly rowOf: Uint32Array;
}

/**
 * Judges rows of stored chunks.
 * @param sequence the order of the rows; without it all rows of the one chunk in their order
 * @param rulings interns the decisions; shared by all parts of a replay
 * @param progress called now and then with the number of rows done
 * @returns one code a row, in the order of the sequence
 */
export function replayChunk(
  replay: Replay,
  chunks: readonly ChunkRows[],
  sequence: RowSequence | undefined,
  rulings: RulingTable,
  progress: (numRowsDone: number) => void,
): Uint32Array {
  const numRows = sequence ? sequence.rowOf.length : chunks[0]!.numRows;
  const codes = new Uint32Array(numRows);
  for (let index = 0; index < numRows; index += 1) {
    const rows = sequence ? chunks[sequence.chunkOf[index]!]! : chunks[0]!;
    const record = rows.row(sequence ? sequence.rowOf[index]! : index) as LogRecord;
    codes[index] = rulings.codeFor(replay.next(record).decision);
    if ((index + 1) % PROGRESS_ROWS === 0) progress(index + 1);
  }
  return codes;
}

const PROGRESS_ROWS = 5000;
