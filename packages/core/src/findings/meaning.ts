/** Which kinds of requests another outcome comes of, after the rules were changed: proved over classes, without any log. */
import type { CheckedGate } from '../check/rulebook.js';
import { ruleId } from '../decide/decision.js';
import { decide, type EvaluationContext } from '../decide/interpreter.js';
import { printCondition } from '../language/condition-text.js';
import type { ReferenceData } from '../decide/view.js';
import type { Attributes, LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { truthsIn, ALWAYS, type Box, type Formula } from './classes/boxes.js';
import { coverBoxes, writeBoxes, type Cover, type Source } from './classes/cover.js';
import { makeExample } from './classes/example.js';
import { follow, type Fate } from './classes/follow.js';
import { isScoped, PairModel, withEntries, type PairInput } from './classes/pair-model.js';
import type { Start } from './classes/gate-model.js';
import { PassingState } from './classes/passing-state.js';
import { sampleReferenceData } from './classes/samples.js';
import { Search, TooManyCuts, type Budget } from './classes/search.js';
import { changedAtoms, changedFormulas, compareRules, type RuleChanges, type RuleState } from './rule-changes.js';

/** Requests of one gate whose outcome changes in one way. No request is in two regions. */
export interface Region {
  /** The gate that judges them before, and after; absent where none does. */
  readonly gateBefore?: string;
  readonly gateAfter?: string;
  /** Conditions in the language of fences; the requests are those of which one is true. */
  readonly conditions: readonly RegionCondition[];
  /** Further requests change in the same way, whose conditions would be too many to write. */
  readonly isPartial?: true;
  readonly before: Fate;
  readonly after: Fate;
  /** One of the requests, which was run through the interpreter by both. */
  readonly example: Attributes;
  readonly atUnixMs: number;
}

export interface RegionCondition {
  readonly condition: string;
  /** The hours in which it is so, where not always: `during desk-hours`. */
  readonly hours: readonly string[];
  /** Comparisons that are unknown of the requests, which no condition can express. */
  readonly unknown: readonly string[];
  /** Comparisons of the condition that are meant to hold also where they are unknown. */
  readonly orUnknown: readonly string[];
  /** Of an outbound gate: only requests that are seen whole, or only encrypted ones that it does not inspect. */
  readonly only?: 'visible' | 'hidden';
}

/** What two states of the rules differ in. */
export interface MeaningDiff {
  readonly regions: readonly Region[];
  /** What could not be decided within bounds; without any, nothing else changes. */
  readonly undecided: readonly { readonly gate?: string; readonly reason: string }[];
}

export interface MeaningBounds {
  readonly maxCuts: number;
  /** For all gates together: formulas looked at in a box. */
  readonly maxSteps: number;
  /** So many requests are made of which one is to show a region. */
  readonly maxExamples: number;
  /** Of so many parts a region is written at most, and with so many conditions; the rest of it is undecided. */
  readonly maxBoxes: number;
  readonly maxCovers: number;
}

export const MEANING_BOUNDS: MeaningBounds = {
  maxCuts: 40_000,
  maxSteps: 20_000_000,
  maxExamples: 24,
  maxBoxes: 2000,
  maxCovers: 24,
};

/**
 * Compares two states of the rules under the same reference data.
 * @param times of which each set of rules that are live together has one, see `reviewTimes`
 */
export function compareMeaning(
  states: { readonly before: RuleState; readonly after: RuleState },
  referenceData: ReferenceData,
  times: readonly number[],
  bounds = MEANING_BOUNDS,
): MeaningDiff {
  const changes = compareRules(states.before, states.after);
  const before: EvaluationContext = { rulebook: states.before.rulebook, ...referenceData };
  const after: EvaluationContext = { rulebook: states.after.rulebook, ...referenceData };
  const samples = mergeSamples(sampleReferenceData(before), sampleReferenceData(after));
  const input: PairInput = { before, after, times, samples, changedLists: changes.lists };
  const budget: Budget = { steps: bounds.maxSteps };
  const regions: { view: View; region: Region }[] = [];
  const undecided: { gate?: string; reason: string }[] = [];
  for (const gates of changes.pairs) {
    const gate = (gates.after ?? gates.before)?.statement.name;
    try {
      for (const isHidden of viewsOf(gates)) {
        const view: View =
          isHidden.before || isHidden.after ? 'hidden' : viewsOf(gates).length === 1 ? 'any' : 'visible';
        const comparison = new PairComparison(gates, new PairModel(gates, isHidden, input), changes, {
          input,
          bounds,
          budget,
        });
        for (const region of comparison.regions()) regions.push({ view, region });
        for (const reason of comparison.undecided) undecided.push({ ...(gate === undefined ? {} : { gate }), reason });
      }
    } catch (error) {
      if (!(error instanceof TooManyCuts)) throw error;
      undecided.push({ ...(gate === undefined ? {} : { gate }), reason: 'the rules that differ meet too many others' });
    }
  }
  return { regions: joinViews(regions), undecided };
}

function mergeSamples(a: PairInput['samples'], b: PairInput['samples']): PairInput['samples'] {
  return {
    addresses: a.addresses,
    hosts: [...new Set([...a.hosts, ...b.hosts])],
  };
}

interface GatePair {
  readonly before?: CheckedGate;
  readonly after?: CheckedGate;
}

/** Requests that an outbound gate sees whole, and those of which it sees a part. */
function viewsOf({ before, after }: GatePair): { before: boolean; after: boolean }[] {
  const of = (gate: CheckedGate | undefined): boolean[] =>
    gate?.statement.direction === 'outbound' ? [false, true] : [false];
  return of(before).flatMap((one) => of(after).map((other) => ({ before: one, after: other })));
}

/** Whether the gates see the requests whole. */
type View = 'any' | 'visible' | 'hidden';

interface Part {
  readonly box: Box;
  readonly start: Start;
}

interface Group {
  readonly before: Fate;
  readonly after: Fate;
  readonly parts: Part[];
}

class PairComparison {
  readonly undecided: string[] = [];
  readonly #search: Search;

  constructor(
    private readonly gates: GatePair,
    private readonly pair: PairModel,
    private readonly changes: RuleChanges,
    private readonly terms: { readonly input: PairInput; readonly bounds: MeaningBounds; readonly budget: Budget },
  ) {
    this.#search = new Search(pair.before, terms.bounds.maxCuts, terms.budget);
  }

  regions(): Region[] {
    const groups = new Map<string, Group>();
    for (const { box, start } of this.#affected())
      for (const one of follow(this.pair.before, this.#search, box))
        for (const other of follow(this.pair.after, this.#search, one.box)) {
          if (seenOf(one.fate) === seenOf(other.fate)) continue;
          const [before, after] = withoutSame(one.fate, other.fate);
          const key = JSON.stringify([before, after]);
          const group = groups.get(key) ?? { before, after, parts: [] };
          groups.set(key, group);
          group.parts.push({ box: other.box, start });
        }
    return [...groups.values()].flatMap((group) => this.#regionOf(group) ?? []);
  }

  /** Requests that match a rule which is not the same on both sides; of others the same comes. */
  *#affected(): Generator<Part> {
    const { starts } = this.pair;
    const isWhole = this.gates.before?.statement.name !== this.gates.after?.statement.name;
    const formulas = isWhole ? [ALWAYS] : changedFormulas(this.pair, this.changes);
    const passed: Formula[] = [];
    for (const formula of formulas) {
      yield* this.#search.solveAll(starts, [formula, ...passed]);
      passed.push({ kind: 'not', part: formula });
    }
  }

  #regionOf(group: Group): Region | undefined {
    const { before, after } = group;
    const { maxBoxes, maxCovers } = this.terms.bounds;
    const example = this.#exampleOf(group);
    if (!example) {
      this.undecided.push(`no request was found that changes from ${fateText(before)} to ${fateText(after)}`);
      return undefined;
    }
    const parts = group.parts.slice(0, maxBoxes);
    const sources = this.#sourcesOf(parts);
    const covers = this.#cover(
      parts.map(({ box }) => box),
      sources,
    );
    const isPartial = parts.length < group.parts.length || covers.length > maxCovers;
    if (isPartial)
      this.undecided.push(
        `more requests change from ${fateText(before)} to ${fateText(after)} than those of the conditions that are written`,
      );
    const gate = (one: CheckedGate | undefined): string | undefined => one?.statement.name;
    const { before: gateBefore, after: gateAfter } = { before: gate(this.gates.before), after: gate(this.gates.after) };
    return {
      ...(gateBefore === undefined ? {} : { gateBefore }),
      ...(gateAfter === undefined ? {} : { gateAfter }),
      conditions: covers.slice(0, maxCovers).map(writeCover),
      ...(isPartial ? { isPartial } : {}),
      before,
      after,
      example: example.attributes,
      atUnixMs: example.atUnixMs,
    };
  }

  /** A short cover, or where that takes too long, one that has all that is known of each box. */
  #cover(boxes: readonly Box[], sources: readonly Source[]): Cover[] {
    const { maxCuts, budget } = { maxCuts: this.terms.bounds.maxCuts, budget: this.terms.budget };
    try {
      return coverBoxes(boxes, sources, this.pair.starts, new Search(this.pair.before, maxCuts, budget));
    } catch (error) {
      if (!(error instanceof TooManyCuts)) throw error;
      return writeBoxes(boxes, sources, new Search(this.pair.before, maxCuts, budget));
    }
  }

  /** A request of which the interpreter gives what is claimed, before and after. */
  #exampleOf({ before, after, parts }: Group): LogRecord | undefined {
    const { maxExamples } = this.terms.bounds;
    for (const part of parts.slice(0, maxExamples)) {
      const record = makeExample(this.pair.before, part);
      if (record && isFate(this.terms.input.before, record, before) && isFate(this.terms.input.after, record, after))
        return record;
    }
    return undefined;
  }

  /** The comparisons that are decided somewhere in the parts, those of rules that changed last, since these explain best. */
  #sourcesOf(parts: readonly Part[]): Source[] {
    const { axes } = this.pair.before;
    // What is so of all requests explains nothing about these.
    const isUseful = ({ formula }: Source): boolean =>
      parts.some(({ box, start }) => truthsIn(formula, box) !== truthsIn(formula, start.box)) ||
      new Set(this.pair.starts.map(({ box }) => truthsIn(formula, box))).size > 1;
    const atoms = axes.partitions.atoms.map((atom): Source => {
      const formula = axes.formulaOf(atom.partition, atom.atom);
      if (!isScoped(atom.comparison)) return { atom, formula };
      const written = withEntries(atom.comparison, this.terms.input.before.rulebook.lists);
      return written ? { atom: { ...atom, comparison: written }, formula } : { atom, formula };
    });
    const changed = changedAtoms(this.pair, this.changes);
    // The first are left out where others suffice.
    const old = atoms.filter((_, at) => isScoped(axes.partitions.atoms[at]!.comparison));
    const ordered = [
      ...old,
      ...atoms.filter((one) => !old.includes(one) && !changed.has(`${one.atom!.partition} ${one.atom!.atom}`)),
      ...atoms.filter((one) => !old.includes(one) && changed.has(`${one.atom!.partition} ${one.atom!.atom}`)),
    ];
    return [...ordered, ...hoursOf(this.pair)].filter(isUseful);
  }
}

/** Hours and ends of rules, as comparisons of the time. */
function hoursOf({ before, after }: PairModel): Source[] {
  const byText = new Map<string, Source>();
  for (const { rule, isLive } of [...before.rules, ...after.rules]) {
    if (isLive === ALWAYS) continue;
    const { hours, until } = rule;
    const parts = [
      ...(hours ? [`${hours.isOutside ? 'outside' : 'during'} ${hours.schedule.name}`] : []),
      ...(until ? [`until ${until.kind === 'date' ? until.date : new Date(until.atUnixMs).toISOString()}`] : []),
    ];
    byText.set(parts.join(' '), { hours: parts.join(' '), formula: isLive });
  }
  return [...byText.values()];
}

/** What clients, and reports of trials, see of a fate. */
function seenOf({ outcome, status, target, may, throttled, would }: Fate): string {
  return JSON.stringify([outcome, status, target, may, throttled, would]);
}

/** What trials would do as before, and what may stop or delay as before, is no part of a change. */
function withoutSame(before: Fate, after: Fate): [Fate, Fate] {
  const same = (['may', 'throttled', 'would'] as const).filter(
    (key) => before[key].join('\n') === after[key].join('\n'),
  );
  const none = Object.fromEntries(same.map((key) => [key, []]));
  return [
    { ...before, ...none },
    { ...after, ...none },
  ];
}

function fateText({ outcome, by }: Fate): string {
  return by === undefined ? outcome : `${outcome} by ${by}`;
}

function isFate(context: EvaluationContext, record: LogRecord, fate: Fate): boolean {
  const { outcome, status, fence, rule } = decide(context, normalizeRequest(record), new PassingState());
  const by = fence === undefined ? undefined : rule === undefined ? fence : ruleId(fence, rule);
  return outcome === fate.outcome && status === fate.status && by === fate.by;
}

function writeCover({ condition, ...rest }: Cover): RegionCondition {
  return { condition: printCondition(condition), ...rest };
}

/** One region of those that differ only in whether the gate sees the requests whole. */
function joinViews(found: readonly { readonly view: View; readonly region: Region }[]): Region[] {
  const byKey = new Map<string, { region: Region; views: Map<string, { one: RegionCondition; views: Set<View> }> }>();
  for (const { view, region } of found) {
    const { gateBefore, gateAfter, before, after, conditions } = region;
    const key = JSON.stringify([gateBefore, gateAfter, before, after]);
    const there = byKey.get(key) ?? { region, views: new Map() };
    byKey.set(key, there);
    if (region.isPartial) there.region = { ...there.region, isPartial: true };
    for (const one of conditions) {
      const text = JSON.stringify(one);
      const known = there.views.get(text) ?? { one, views: new Set() };
      there.views.set(text, known);
      known.views.add(view);
    }
  }
  return [...byKey.values()].map(({ region, views }) => ({
    ...region,
    conditions: [...views.values()].map(({ one, views: seen }): RegionCondition => {
      const [view, other] = [...seen];
      return view === undefined || view === 'any' || other !== undefined ? one : { ...one, only: view };
    }),
  }));
}
