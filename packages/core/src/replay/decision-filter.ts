import type { Filter } from '../check/check-filter.js';
import type { ChunkRows } from '../columns/chunk.js';
import type { Ruling } from '../decide/decision.js';
import { evaluate, evaluateComparison, type Subject, type Terms } from '../decide/evaluate.js';
import { NO_GATE } from '../decide/gate.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import type { Condition } from '../language/tree.js';
import { visitComparisons } from '../language/visit.js';
import { feature, type GateView } from '../match/features/features.js';
import { compileCondition, join, not, type Node } from '../match/compile/nodes.js';
import { Plan } from '../match/rows/plan.js';
import { ChunkReader } from '../match/rows/row-readers.js';
import { evaluateNode } from '../match/compile/conditions.js';
import { FALSE, TRUE, UNKNOWN, type TruthValue } from '../match/features/truth.js';
import { invariant } from '../request/invariant.js';
import type { LogRecord } from '../request/record.js';
import { recordedStatusOf, subjectOf } from './filter-decisions.js';
import { NOT_JUDGED } from './replay-chunk.js';

const DEGREES: Readonly<Record<'true' | 'false' | 'unknown', TruthValue>> = {
  true: TRUE,
  false: FALSE,
  unknown: UNKNOWN,
};
/** The subject of comparisons of a decision: they read nothing of a request. */
const NO_RECORD: LogRecord = { line: 0, atUnixMs: 0, attributes: {} };
const NO_TAGS: ReadonlySet<string> = new Set();

const recordedStatus = feature('recorded status', ['http.response.status_code'], ({ attributes }) =>
  recordedStatusOf(attributes),
);

/** What is known of a row without any of its attributes. */
const PLACE_FIELDS: readonly string[] = ['line', 'time'];

/** A filter whose parts are all true where it is: those that test only the line or time, and the rest. */
interface Parts {
  readonly ofPlace: readonly Condition[];
  readonly rest: Condition;
}

/** @returns undefined if line or time are used in a way that requests must be tested one by one */
function partsOf(condition: Condition): Parts | undefined {
  const all = condition.kind === 'and' ? condition.parts : [condition];
  const ofPlace = all.filter((part) => countFields(part).own > 0 && countFields(part).others === 0);
  const rest = all.filter((part) => !ofPlace.includes(part));
  if (rest.some((part) => countFields(part).own > 0)) return undefined;
  return {
    ofPlace,
    rest: rest.length === 0 ? { kind: 'always' } : rest.length === 1 ? rest[0]! : { kind: 'and', parts: rest },
  };
}

/** Ascending; ranges do not meet. */
interface LineRanges {
  readonly firsts: readonly number[];
  readonly lasts: readonly number[];
}

/** @returns undefined for other conditions than that the line is one of some */
function lineRanges(condition: Condition): LineRanges | undefined {
  if (condition.kind !== 'comparison' || condition.isNegated || condition.field !== 'line') return undefined;
  if (condition.operator !== 'in' && condition.operator !== '=') return undefined;
  const ranges = condition.values.flatMap((value) =>
    value.kind === 'number' ? [{ first: value.first, last: value.last }] : [],
  );
  const firsts: number[] = [];
  const lasts: number[] = [];
  for (const { first, last } of ranges.sort((a, b) => a.first - b.first)) {
    const before = lasts.length - 1;
    if (before >= 0 && first <= lasts[before]!) lasts[before] = Math.max(lasts[before]!, last);
    else {
      firsts.push(first);
      lasts.push(last);
    }
  }
  return { firsts, lasts };
}

function holdsLine({ firsts, lasts }: LineRanges, line: number): boolean {
  let [low, high] = [0, firsts.length];
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (firsts[middle]! <= line) low = middle + 1;
    else high = middle;
  }
  return low > 0 && line <= lasts[low - 1]!;
}

function countFields(condition: Condition): { own: number; others: number } {
  const counts = { own: 0, others: 0 };
  visitComparisons(condition, ({ field }) => (counts[PLACE_FIELDS.includes(field) ? 'own' : 'others'] += 1));
  return counts;
}

/** Whether requests must be tested one by one, because the condition mixes the line or time with attributes. */
export function isRowByRow({ condition }: Filter): boolean {
  return partsOf(condition) === undefined;
}

/**
 * Finds what `filterChunk` finds, of filters that need not be tested row by row: for each ruling the filter is
 * known but for attributes of the request, which are tested once a value.
 */
export class DecisionFilter extends Plan {
  /** By code of the ruling. */
  readonly #nodes: readonly Node[];
  readonly #ofPlace: readonly Condition[];
  /** Of comparisons with lines, which may name many of them. */
  readonly #ofLines: readonly LineRanges[];
  readonly #terms: Terms;

  constructor({ condition, lookups }: Filter, context: EvaluationContext, rulings: readonly Ruling[]) {
    super();
    const parts = partsOf(condition);
    invariant(parts, 'a filter must be tested row by row');
    this.#ofLines = parts.ofPlace.flatMap((part) => lineRanges(part) ?? []);
    this.#ofPlace = parts.ofPlace.filter((part) => lineRanges(part) === undefined);
    this.#terms = { lookups, applications: context.rulebook.applications };
    const rulebook = { ...context.rulebook, lookups: new Map([...context.rulebook.lookups, ...lookups]) };
    this.#nodes = rulings.map((ruling) => {
      const gate = rulebook.gates.find(({ statement }) => statement.name === ruling.gate) ?? NO_GATE;
      return this.#compile(parts.rest, subjectOf(context, NO_RECORD, ruling), rulebook, {
        rulebook,
        view: { gate, isHidden: false, referenceData: context },
      });
    });
    this.seal();
  }

  #compile(
    condition: Condition,
    subject: Subject,
    terms: Terms,
    seen: { readonly rulebook: EvaluationContext['rulebook']; readonly view: GateView },
  ): Node {
    if (condition.kind === 'and' || condition.kind === 'or')
      return join(
        condition.kind,
        condition.parts.map((part) => this.#compile(part, subject, terms, seen)),
      );
    if (condition.kind === 'not') return not(this.#compile(condition.part, subject, terms, seen));
    if (condition.kind === 'comparison' && condition.field === 'recorded status') {
      const requested = this.partitions.atomFor(recordedStatus, condition, undefined, {});
      const atom: Node = { kind: 'atom', ...requested, selectivity: 1 };
      return condition.isNegated ? not(atom) : atom;
    }
    if (
      condition.kind === 'comparison' &&
      (condition.field === 'tag' || Object.hasOwn(subject.decided!, condition.field))
    )
      return { kind: 'known', truth: DEGREES[evaluateComparison(condition, subject, terms)] };
    return compileCondition(condition, { ...seen, partitions: this.partitions });
  }

  /** The rows for which the filter is true, ascending. @param codes of the rulings */
  select(rows: ChunkRows, codes: Uint32Array): Uint32Array {
    if (this.isFull) this.clear();
    const reader = new ChunkReader(this, rows);
    const isPlaced = this.#placesOf(rows);
    const matching: number[] = [];
    for (let row = 0; row < rows.numRows; row += 1) {
      if (codes[row] === NOT_JUDGED || isPlaced?.(row) === false) continue;
      reader.row = row;
      if (evaluateNode(this.#nodes[codes[row]!]!, reader, this.partitions, NO_TAGS) === TRUE) matching.push(row);
    }
    return Uint32Array.from(matching);
  }

  /** Whether a row satisfies the tests of its line and time; undefined if there are none. */
  #placesOf(rows: ChunkRows): ((row: number) => boolean) | undefined {
    if (this.#ofPlace.length === 0 && this.#ofLines.length === 0) return undefined;
    const [lines, times] = [rows.lines(), rows.timesUnixMs()];
    return (row) => {
      if (!this.#ofLines.every((ranges) => holdsLine(ranges, lines[row]!))) return false;
      const decided = { line: lines[row]!, time: times[row]! };
      const subject = { decided } as unknown as Subject;
      return this.#ofPlace.every((part) => evaluate(part, subject, this.#terms) === 'true');
    };
  }
}
