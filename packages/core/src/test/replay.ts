import { describeRequest } from '../decide/aspects.js';
import { ruleId, type Decision } from '../decide/decision.js';
import { addMetered, createThrottleTally } from '../match/counters/throttle-meter.js';
import { decide, type EvaluationContext } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import type { LogRecord } from '../request/record.js';
import { normalizeRequest, type Request } from '../request/request.js';
import { hourOf } from '../replay/breakdown.js';
import { addDecision, addHour, addValue, createTally, type Tally } from '../replay/tally.js';

/** Judges requests by the interpreter, one after the other, which must be the order of their time where the rules remember, and counts their outcomes. */
export class SequentialReplay {
  readonly tally: Tally = createTally();

  /** @param state what requests before these left behind; brought up to date */
  constructor(
    private readonly context: EvaluationContext,
    readonly state: State = new State(),
  ) {}

  /** Judges a record; the decision is counted. */
  next(record: LogRecord): { request: Request; decision: Decision } {
    const request = normalizeRequest(record);
    const decision = decide(this.context, request, this.state, {
      remembered: (fence, { name }, memory) => {
        if (memory.kind !== 'throttle') return;
        const throttles = (this.tally.throttles ??= {});
        const throttle = (throttles[ruleId(fence.name, name)] ??= createThrottleTally());
        addMetered(throttle, request.atUnixMs, memory.bytes, memory.waitMs);
      },
    });
    addDecision(this.tally, decision, request.atUnixMs, request.host);
    for (const [aspect, values] of describeRequest(this.context, request, decision.gate))
      for (const value of values) addValue(this.tally, aspect, value, decision.outcome, 1);
    addHour(this.tally, hourOf(request.atUnixMs), decision.outcome, 1);
    return { request, decision };
  }
}
