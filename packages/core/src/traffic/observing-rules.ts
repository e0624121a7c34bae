/** Rules that only show what they match, judged by the engine over a log that was decided by others. */
import { checkFences } from '../check/check-fences.js';
import { ruleId } from '../decide/decision.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import { Program } from '../match/compile/program.js';
import { ChunkReplay, NOT_JUDGED, type RowSequence } from '../replay/replay-chunk.js';
import { invariant } from '../request/invariant.js';
import type { DecidedSegment } from './decided-log.js';

const FENCE = 'proposed';

/** What rules that observe match, and those in trial would stop, as numbers of the rules. */
export interface Observed {
  readonly matched: readonly number[];
  readonly gate: string | undefined;
}

/**
 * A fence of rules at each gate, in the place of all others.
 * @param rules without `rule NAME`: `observe when CONDITION`, or `trial limit ... when CONDITION`
 */
export function observing(
  context: EvaluationContext,
  rules: readonly string[],
): {
  readonly attributes: readonly string[];
  /** @returns by index of the sequence, or by row */
  judge(segment: DecidedSegment): (index: number) => Observed;
} {
  const text = [`fence ${FENCE} enforce {`, ...rules.map((rule, at) => `  rule p${at} ${toTrial(rule)}`), '}'].join(
    '\n',
  );
  const { rulebook: own, diagnostics } = checkFences([{ path: FENCE, text }], []);
  invariant(own, `a proposed rule cannot be read: ${diagnostics[0]?.message}`);
  const [fence] = own.fences;
  const program = new Program({
    ...context,
    rulebook: {
      ...context.rulebook,
      gates: context.rulebook.gates.map((gate) => ({ ...gate, fences: [fence!] })),
      fences: [fence!],
      lookups: own.lookups,
      endsAtUnixMs: own.endsAtUnixMs,
      isStateful: own.isStateful,
    },
  });
  const replay = new ChunkReplay(program);
  const numbers = new Map(rules.map((rule, at) => [ruleId(FENCE, `p${at}`), { at, isTrial: isLimit(rule) }]));
  const known: Observed[] = [];
  const observedOf = (code: number): Observed => {
    const { matched, would, gate } = replay.table.rulings[code]!;
    const stopping = would.map(({ rule }) => ruleId(FENCE, rule!));
    return {
      matched: [...matched.filter((id) => !numbers.get(id)!.isTrial), ...stopping].map((id) => numbers.get(id)!.at),
      gate,
    };
  };
  return {
    attributes: program.attributes,
    judge(segment) {
      const rows = segment.chunks.map((chunk) => chunk.rows);
      const judged = judgedOnly(segment);
      const { codes } = replay.judge(rows, judged ?? segment.sequence);
      return (index) => {
        const code = codes[judged ? judged.placeOf[index]! : index]!;
        return (known[code] ??= observedOf(code));
      };
    },
  };
}

/** The rows that were judged, where others were not: what lies outside a span counts for no limit. */
function judgedOnly(segment: DecidedSegment): (RowSequence & { readonly placeOf: Int32Array }) | undefined {
  const { chunks, sequence } = segment;
  if (!chunks.some(({ codes }) => codes.includes(NOT_JUDGED))) return undefined;
  const placeOf = new Int32Array(sequence ? sequence.rowOf.length : chunks[0]!.codes.length);
  const chunkOf: number[] = [];
  const rowOf: number[] = [];
  forEachRow(segment, (index, chunk, row) => {
    placeOf[index] = chunkOf.length;
    chunkOf.push(chunk);
    rowOf.push(row);
  });
  return { chunkOf: Uint32Array.from(chunkOf), rowOf: Uint32Array.from(rowOf), placeOf };
}

function isLimit(rule: string): boolean {
  return rule.startsWith('limit ');
}

function toTrial(rule: string): string {
  return isLimit(rule) ? `trial ${rule}` : rule;
}

/** Visits the rows of a segment that were judged, in their order. @param visit receives the places of row and chunk, too */
export function forEachRow(
  { chunks, sequence }: DecidedSegment,
  visit: (index: number, chunk: number, row: number) => void,
): void {
  const numRows = sequence ? sequence.rowOf.length : chunks[0]!.codes.length;
  for (let index = 0; index < numRows; index += 1) {
    const chunk = sequence ? sequence.chunkOf[index]! : 0;
    const row = sequence ? sequence.rowOf[index]! : index;
    if (chunks[chunk]!.codes[row] !== NOT_JUDGED) visit(index, chunk, row);
  }
}
