/** What becomes of all requests of a box, to the end. */
import type { Action, Ending } from '../../language/tree.js';
import { isNeutral, keepsState } from '../../language/tree.js';
import { printAction } from '../../language/action-text.js';
import { isDecided, CAN_FALSE, truthsIn, type Box } from './boxes.js';
import { isCandidate } from './rule-index.js';
import type { GateModel, ModelRule } from './gate-model.js';
import type { Search } from './search.js';

/** What becomes of a request. Limits and holds may stop it on the way, by what earlier requests did. */
export interface Fate {
  readonly outcome: 'allowed' | 'blocked' | 'redirected' | 'uncovered';
  readonly status?: number;
  /** Where it is sent, or the page that is shown. */
  readonly target?: string;
  /** The rule that decided, as `fence/rule`; of a fence its `otherwise`, as `fence`. */
  readonly by?: string;
  /** Actions that may stop it before. */
  readonly may: readonly string[];
  /** Throttles that may delay its bytes. */
  readonly throttled: readonly string[];
  /** What rules and fences in trial would do. */
  readonly would: readonly string[];
}

interface Position {
  readonly box: Box;
  readonly fence: number;
  readonly at: number;
  readonly allowedBy: string | undefined;
  readonly may: readonly string[];
  readonly throttled: readonly string[];
  readonly would: readonly string[];
  readonly candidates?: Uint32Array;
}

/** Each part of a box, with what becomes of its requests. */
export function follow(model: GateModel, search: Search, box: Box): Generator<{ box: Box; fate: Fate }> {
  return walk(model, search, { box, fence: 0, at: 0, allowedBy: undefined, may: [], throttled: [], would: [] });
}

function* walk(model: GateModel, search: Search, position: Position): Generator<{ box: Box; fate: Fate }> {
  const { box } = position;
  const candidates = position.candidates ?? model.candidates(box);
  let { allowedBy, may, throttled, would } = position;
  const end = (action: Action | Ending, by?: string): { box: Box; fate: Fate } => ({
    box,
    fate: { ...seenOf(action), ...(by === undefined ? {} : { by }), may, throttled, would },
  });
  if (model.isUncovered) {
    yield { box, fate: { outcome: 'uncovered', may, throttled, would } };
    return;
  }
  for (let fence = position.fence; fence < model.gate.fences.length; fence += 1) {
    const { name, mode, otherwise } = model.gate.fences[fence]!;
    let isEnded = false;
    for (let at = Math.max(position.at, model.fenceStarts[fence]!); at < model.fenceStarts[fence + 1]!; at += 1) {
      if (!isCandidate(candidates, at)) continue;
      const item = model.rules[at]!;
      const { action } = item.rule;
      if (isNeutral(action)) continue;
      const formula = model.matches(at);
      const truths = truthsIn(formula, box);
      search.spend(1);
      if (truths === CAN_FALSE) continue;
      if (!isDecided(truths)) {
        for (const half of search.cut(formula, box))
          yield* walk(model, search, { box: half, fence, at, allowedBy, may, throttled, would, candidates });
        return;
      }
      if (keepsState(action)) {
        if (item.isInTrial) would = [...would, stateText(item)];
        else if (action.kind === 'throttle') throttled = [...throttled, stateText(item)];
        else may = [...may, stateText(item)];
        continue;
      }
      if (item.rule.state === 'trial' || mode === 'trial') {
        would = [...would, printAction(action)];
        if (mode !== 'trial' || item.rule.state === 'trial') continue;
        isEnded = true;
        break;
      }
      if (item.effect === 'ends-all') {
        yield end(action, item.id);
        return;
      }
      allowedBy = item.id;
      isEnded = true;
      break;
    }
    if (isEnded || otherwise.kind === 'continue') continue;
    if (mode === 'trial') would = [...would, printAction(endingAction(otherwise))];
    else if (otherwise.kind === 'allow') allowedBy = name;
    else {
      yield end(otherwise, name);
      return;
    }
  }
  yield allowedBy === undefined
    ? end(model.gate.statement.otherwise)
    : { box, fate: { outcome: 'allowed', by: allowedBy, may, throttled, would } };
}

/** What a limit, hold or throttle does, and to which requests: with another condition it counts others. */
function stateText({ rule }: ModelRule): string {
  return printAction(rule.action);
}

function endingAction(ending: Ending): Action {
  return ending.kind === 'allow' ? { kind: 'allow', isOutright: false } : ending;
}

function seenOf(action: Action | Ending): Pick<Fate, 'outcome' | 'status' | 'target'> {
  switch (action.kind) {
    case 'block':
      return {
        outcome: 'blocked',
        status: action.status,
        ...(action.page ? { target: `page ${action.page.name}` } : {}),
      };
    case 'redirect':
      return { outcome: 'redirected', status: action.status, target: action.url };
    default:
      return { outcome: 'allowed' };
  }
}
