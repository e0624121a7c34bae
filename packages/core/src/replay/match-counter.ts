import type { ChunkRows } from '../columns/chunk.js';
import type { Rulebook } from '../check/rulebook.js';
import { ruleId } from '../decide/decision.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import { parseFences } from '../language/parser.js';
import type { FenceStatement } from '../language/tree.js';
import { Program } from '../match/compile/program.js';
import { invariant } from '../request/invariant.js';
import type { ResolvedRule, Matches } from './count-matches.js';
import { ChunkReplay } from './replay-chunk.js';

/** A fence whose only rule tags every request that it matches. */
const { fence: NOTING, rule: NOTED } = readNoting();

/**
 * Counts what `countMatches` counts, of rules that test no tag, chunk by chunk: as the matcher evaluates a rule alone at
 * each gate.
 */
export class MatchCounter {
  readonly #program: Program;
  readonly #replay: ChunkReplay;

  /** @param gates only requests of these gates count; all if absent */
  constructor(
    context: EvaluationContext,
    { condition, hours, until, endsAtUnixMs, lookups, tagging }: ResolvedRule,
    private readonly gates: ReadonlySet<string> | undefined,
  ) {
    invariant(!tagging, 'tags are set by other rules');
    const rule = {
      ...NOTING.rules[0]!,
      condition,
      ...(hours ? { hours } : {}),
      ...(until ? { until } : {}),
    };
    const fence = { ...NOTING, rules: [rule] };
    const rulebook: Rulebook = {
      ...context.rulebook,
      gates: context.rulebook.gates.map((gate) => ({ ...gate, fences: [fence] })),
      lookups: new Map([...context.rulebook.lookups, ...lookups]),
      endsAtUnixMs: new Map(endsAtUnixMs === undefined ? [] : [[rule, endsAtUnixMs]]),
      isStateful: false,
    };
    this.#program = new Program({ ...context, rulebook });
    this.#replay = new ChunkReplay(this.#program);
  }

  /** The attributes that it reads. */
  get attributes(): string[] {
    return this.#program.attributes;
  }

  count(rows: ChunkRows): Matches {
    const { codes } = this.#replay.judge([rows]);
    const { rulings } = this.#replay.table;
    const counts = new Uint32Array(rulings.length);
    for (const code of codes) counts[code]! += 1;
    let [matching, unknown, requests] = [0, 0, 0];
    rulings.forEach(({ gate, matched, blind }, code) => {
      if (gate === undefined || (this.gates && !this.gates.has(gate))) return;
      requests += counts[code]!;
      if (matched.includes(NOTED)) matching += counts[code]!;
      if (blind.includes(NOTED)) unknown += counts[code]!;
    });
    return { matching, unknown, requests };
  }
}

function readNoting(): { fence: FenceStatement; rule: string } {
  const [fence] = parseFences('fence noting enforce { rule noted observe when always }', 'noting').file.statements;
  invariant(fence?.kind === 'fence', 'the fence that notes cannot be read');
  return { fence, rule: ruleId(fence.name, fence.rules[0]!.name) };
}
