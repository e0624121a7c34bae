/** Which rules are not the same in two states: of requests that match none of them the same comes. */
import type { CheckedGate, Rulebook } from '../check/rulebook.js';
import { isListName } from '../check/members.js';
import { printAction } from '../language/action-text.js';
import { printCondition } from '../language/condition-text.js';
import { printStatement } from '../language/printer.js';
import type { Comparison, Condition, GateStatement, Rule, Statement } from '../language/tree.js';
import { visitComparisons } from '../language/visit.js';
import type { Node } from '../match/compile/nodes.js';
import { ALWAYS, type Formula } from './classes/boxes.js';
import type { GateModel, ModelRule } from './classes/gate-model.js';
import type { PairModel } from './classes/pair-model.js';

/** A state of the rules: all statements, and the rulebook of them. */
export interface RuleState {
  readonly statements: readonly Statement[];
  readonly rulebook: Rulebook;
}

export interface RuleChanges {
  /** Names of lists that hold something else. */
  readonly lists: ReadonlySet<string>;
  readonly schedules: ReadonlySet<string>;
  readonly hasNewApplications: boolean;
  /** Dates end at another instant. */
  readonly hasNewZone: boolean;
  /** Of which gate before and which after there can be requests; absent where none judges. */
  readonly pairs: readonly { readonly before?: CheckedGate; readonly after?: CheckedGate }[];
}

export function compareRules(before: RuleState, after: RuleState): RuleChanges {
  const schedules = changedNames('schedule', before, after);
  const hasNewZone = before.rulebook.zone !== after.rulebook.zone;
  const isSameWay = routesOf(before) === routesOf(after);
  const lists = changedLists(before, after);
  const gatesOf = ({ rulebook }: RuleState): readonly CheckedGate[] => rulebook.gates;
  const same = gatesOf(before).flatMap((gate) => {
    const other = gatesOf(after).find(({ statement }) => statement.name === gate.statement.name);
    return other ? [{ before: gate, after: other }] : [];
  });
  // Where each request goes as it did, gates of one name are compared, else each with each.
  const doListsRoute = [...gatesOf(before), ...gatesOf(after)].some(({ statement: { hosts, clients } }) =>
    [...hosts, ...clients].some((value) => value.kind === 'list' && lists.has(value.name)),
  );
  const all =
    isSameWay && !doListsRoute
      ? same
      : [...gatesOf(before), undefined].flatMap((one) =>
          [...gatesOf(after), undefined].flatMap((other) => (one || other ? [{ before: one, after: other }] : [])),
        );
  return {
    lists,
    schedules: hasNewZone
      ? new Set(before.statements.flatMap((one) => (one.kind === 'schedule' ? [one.name] : [])))
      : schedules,
    hasNewApplications: changedNames('application', before, after).size > 0,
    hasNewZone,
    pairs: all.map(({ before: one, after: other }) => ({
      ...(one ? { before: one } : {}),
      ...(other ? { after: other } : {}),
    })),
  };
}

/** What decides which gate judges a request. */
function routesOf({ statements }: RuleState): string {
  const gates = statements.filter((statement): statement is GateStatement => statement.kind === 'gate');
  return JSON.stringify(
    gates.map((gate) =>
      printStatement({
        ...withoutWords(gate),
        pathForms: [],
        inspection: undefined,
        fences: [],
        otherwise: { kind: 'allow' },
      }),
    ),
  );
}

function withoutWords<S extends Statement>(statement: S): S {
  return { ...statement, comments: [] };
}

function changedNames(kind: Statement['kind'], before: RuleState, after: RuleState): Set<string> {
  const textsOf = ({ statements }: RuleState): Map<string, string> =>
    new Map(
      statements.flatMap((one) =>
        one.kind === kind && 'name' in one ? [[one.name, printStatement(withoutWords(one))] as const] : [],
      ),
    );
  const [texts, textsAfter] = [textsOf(before), textsOf(after)];
  return new Set([...texts.keys(), ...textsAfter.keys()].filter((name) => texts.get(name) !== textsAfter.get(name)));
}

/** Lists with other entries, and those that hold such lists. */
function changedLists(before: RuleState, after: RuleState): Set<string> {
  const contents = ({ rulebook }: RuleState): Map<string, string> =>
    new Map(
      [...rulebook.lists].map(([name, { kind, source, numEntries }]) => [
        name,
        printStatement({ kind: 'list', name, listKind: kind, source: bare(source), comments: [], place: NOWHERE }) +
          numEntries,
      ]),
    );
  const [texts, textsAfter] = [contents(before), contents(after)];
  const changed = new Set(
    [...texts.keys(), ...textsAfter.keys()].filter((name) => texts.get(name) !== textsAfter.get(name)),
  );
  for (let isGrowing = true; isGrowing;) {
    isGrowing = false;
    for (const { rulebook } of [before, after])
      for (const [name, { source }] of rulebook.lists) {
        if (changed.has(name)) continue;
        const holds = [...source.entries, ...source.exceptions].some(
          (value) => isListName(value, rulebook.lists) && changed.has(value.name),
        );
        if (holds) isGrowing = true;
        if (holds) changed.add(name);
      }
  }
  return changed;
}

const NOWHERE = { file: '', line: 0, column: 0 };

type Inline =
  Rulebook['lists'] extends ReadonlyMap<string, infer L> ? (L extends { source: infer S } ? S : never) : never;

function bare({ kind, entries, exceptions }: Inline): Inline {
  const strip = (values: Inline['entries']): Inline['entries'] => values.map((value) => ({ ...value, comments: [] }));
  return { kind, entries: strip(entries), exceptions: strip(exceptions) };
}

/** Formulas of which one is true of every request whose outcome can differ. */
export function changedFormulas(pair: PairModel, changes: RuleChanges): Formula[] {
  const { before, after } = pair;
  if (gateText(before, changes, 'before') !== gateText(after, changes, 'after')) return [ALWAYS];
  const changed = changedRules(pair, changes);
  if (!changed) return [ALWAYS];
  return [...changed.before.map((at) => before.matches(at)), ...changed.after.map((at) => after.matches(at))];
}

/** What a gate does but for its rules. */
function gateText({ gate: { statement } }: GateModel, changes: RuleChanges, side: string): string {
  const { clientFrom, inspection } = statement;
  const conditions = inspection?.rules.map(({ condition }) => condition) ?? [];
  const isNew =
    clientFrom?.trusting.some((value) => value.kind === 'list' && changes.lists.has(value.name)) === true ||
    conditions.some((condition) => readsChanged(condition, changes));
  return printStatement({ ...withoutWords(statement), hosts: [], clients: [], fences: [] }) + (isNew ? side : '');
}

/** By side the numbers of rules that are not the same; undefined where the end of a fence is not. */
function changedRules(
  { before, after }: PairModel,
  changes: RuleChanges,
): { before: number[]; after: number[] } | undefined {
  const [names, namesAfter] = [before, after].map(({ gate }) => gate.fences.map(({ name }) => name));
  const kept = longestCommon(names!, namesAfter!);
  const found: { before: number[]; after: number[] } = { before: [], after: [] };
  const addAll = (model: GateModel, fence: number, numbers: number[]): boolean => {
    for (let at = model.fenceStarts[fence]!; at < model.fenceStarts[fence + 1]!; at += 1) numbers.push(at);
    return model.gate.fences[fence]!.otherwise.kind === 'continue';
  };
  for (const [fence] of names!.entries())
    if (!kept.some(([one]) => one === fence) && !addAll(before, fence, found.before)) return undefined;
  for (const [fence] of namesAfter!.entries())
    if (!kept.some(([, other]) => other === fence) && !addAll(after, fence, found.after)) return undefined;
  for (const [fence, fenceAfter] of kept) {
    const [one, other] = [before.gate.fences[fence]!, after.gate.fences[fenceAfter]!];
    const isSameEnd = JSON.stringify(endingOf(one)) === JSON.stringify(endingOf(other));
    if (!isSameEnd) return undefined;
    if (one.mode !== other.mode) {
      const doContinue = [addAll(before, fence, found.before), addAll(after, fenceAfter, found.after)];
      if (doContinue.includes(false)) return undefined;
      continue;
    }
    const rulesOf = (model: GateModel, number: number): readonly ModelRule[] =>
      model.rules.slice(model.fenceStarts[number], model.fenceStarts[number + 1]);
    const [rules, rulesAfter] = [rulesOf(before, fence), rulesOf(after, fenceAfter)];
    const pairs = longestCommon(
      rules.map(({ rule }) => ruleText(rule, changes, 'before')),
      rulesAfter.map(({ rule }) => ruleText(rule, changes, 'after')),
    );
    const [same, sameAfter] = [new Set(pairs.map(([at]) => at)), new Set(pairs.map(([, at]) => at))];
    rules.forEach((_, at) => void (same.has(at) || found.before.push(before.fenceStarts[fence]! + at)));
    rulesAfter.forEach((_, at) => void (sameAfter.has(at) || found.after.push(after.fenceStarts[fenceAfter]! + at)));
  }
  return found;
}

function endingOf({ otherwise }: { readonly otherwise: { readonly kind: string } }): unknown {
  return {
    ...otherwise,
    page: 'page' in otherwise ? (otherwise.page as { name?: string } | undefined)?.name : undefined,
  };
}

/** All of a rule that decides, and the side where what it names is not the same. */
function ruleText(rule: Rule, changes: RuleChanges, side: string): string {
  const { state, action, condition, hours, until, matchesUnknown } = rule;
  const isNew =
    readsChanged(condition, changes) ||
    (hours !== undefined && changes.schedules.has(hours.schedule.name)) ||
    (until?.kind === 'date' && changes.hasNewZone);
  return JSON.stringify([
    state,
    printAction(action),
    printCondition(condition),
    hours ? [hours.isOutside, hours.schedule.name] : null,
    until ?? null,
    matchesUnknown,
    isNew ? side : '',
  ]);
}

function readsChanged(condition: Condition, { lists, hasNewApplications }: RuleChanges): boolean {
  let reads = false;
  visitComparisons(condition, ({ field, values }: Comparison) => {
    reads ||= field === 'application' && hasNewApplications;
    reads ||= values.some((value) => (value.kind === 'list' || value.kind === 'word') && lists.has(value.name));
  });
  return reads;
}

/** So many texts of each side are compared with each other; of more all are taken to differ. */
const MAX_COMPARED = 3000;

/** Positions of a longest sequence that two have in common. Method: dynamic programming, without what is the same at the ends. */
function longestCommon(one: readonly string[], other: readonly string[]): [number, number][] {
  let from = 0;
  while (from < one.length && from < other.length && one[from] === other[from]) from += 1;
  let tail = 0;
  while (
    tail < one.length - from &&
    tail < other.length - from &&
    one[one.length - 1 - tail] === other[other.length - 1 - tail]
  )
    tail += 1;
  const [rows, columns] = [one.length - from - tail, other.length - from - tail];
  const pairs: [number, number][] = Array.from({ length: from }, (_, at) => [at, at]);
  if (rows <= MAX_COMPARED && columns <= MAX_COMPARED) {
    const lengths = Array.from({ length: rows + 1 }, () => new Uint16Array(columns + 1));
    for (let row = rows - 1; row >= 0; row -= 1)
      for (let column = columns - 1; column >= 0; column -= 1)
        lengths[row]![column] =
          one[from + row] === other[from + column]
            ? lengths[row + 1]![column + 1]! + 1
            : Math.max(lengths[row + 1]![column]!, lengths[row]![column + 1]!);
    for (let row = 0, column = 0; row < rows && column < columns;) {
      if (one[from + row] === other[from + column]) pairs.push([from + row++, from + column++]);
      else if (lengths[row + 1]![column]! >= lengths[row]![column + 1]!) row += 1;
      else column += 1;
    }
  }
  for (let at = tail; at > 0; at -= 1) pairs.push([one.length - at, other.length - at]);
  return pairs;
}

/** The comparisons of rules that are not the same, as `partition atom`. */
export function changedAtoms(pair: PairModel, changes: RuleChanges): ReadonlySet<string> {
  const changed = changedRules(pair, changes);
  const found = new Set<string>();
  const visit = (node: Node): void => {
    if (node.kind === 'atom') found.add(`${node.partition} ${node.atom}`);
    else if (node.kind === 'not') visit(node.part);
    else if (node.kind === 'and' || node.kind === 'or') node.parts.forEach(visit);
  };
  for (const at of changed?.before ?? []) visit(pair.before.rules[at]!.node);
  for (const at of changed?.after ?? []) visit(pair.after.rules[at]!.node);
  return found;
}
