/** Two states of the rules over the same classes of requests, gate by gate. */
import type { CheckedGate } from '../../check/rulebook.js';
import { NO_GATE } from '../../decide/gate.js';
import type { EvaluationContext } from '../../decide/interpreter.js';
import type { Comparison, Value } from '../../language/tree.js';
import { collectLookups } from '../../check/lookups.js';
import { printValue } from '../../language/value.js';
import { isListName, type ResolvedList } from '../../check/members.js';
import { intersect, type Box } from './boxes.js';
import { formBoxes } from './forms.js';
import { axesOf, compileGate, GateModel, type Start } from './gate-model.js';
import { RecordingPartitions } from './recording-partitions.js';
import type { Samples } from './samples.js';
import type { Lists } from './values.js';

export interface PairInput {
  readonly before: EvaluationContext;
  readonly after: EvaluationContext;
  readonly times: readonly number[];
  readonly samples: Samples;
  /** Names of lists that have other entries before. */
  readonly changedLists: ReadonlySet<string>;
}

/** The requests that one gate judges before and another, or the same, after. */
export class PairModel {
  readonly before: GateModel;
  readonly after: GateModel;
  readonly starts: readonly Start[];

  /** @param gates absent on a side where no gate judges */
  constructor(
    gates: { readonly before?: CheckedGate; readonly after?: CheckedGate },
    isHidden: { readonly before: boolean; readonly after: boolean },
    input: PairInput,
  ) {
    const { times, changedLists } = input;
    const partitions = new RecordingPartitions();
    const scopedLists = scopeLists(input.before.rulebook.lists, changedLists);
    partitions.scope = (comparison) => scopeComparison(comparison, input.before.rulebook.lists, changedLists);
    const before = compileGate(gates.before ?? NO_GATE, isHidden.before, { context: input.before, times }, partitions);
    partitions.scope = undefined;
    const after = compileGate(gates.after ?? NO_GATE, isHidden.after, { context: input.after, times }, partitions);
    addEntryAtoms(partitions, input);
    const lists = new Map([...input.before.rulebook.lists, ...input.after.rulebook.lists, ...scopedLists]);
    const axes = axesOf([before, after], partitions, { ...input, lists });
    this.before = new GateModel(before, axes, times, 0);
    this.after = new GateModel(after, axes, times, 1);
    this.starts = this.#startsOf();
  }

  #startsOf(): Start[] {
    const { before, after } = this;
    const boxes = formBoxes(before.axes, (name, one) => before.isLedHere(name, one) && after.isLedHere(name, one));
    return boxes.flatMap(({ box, isEncrypted }) =>
      before
        .inspected(box, isEncrypted)
        .flatMap((one) => after.inspected(box, isEncrypted).flatMap((other) => join(one, other) ?? [])),
    );
  }
}

/** What is required by both, where they can be required together. */
function join(one: Start, other: Start): Start | undefined {
  const isSet = (start: Start): boolean => 'jade.inspected' in start.settings;
  // Gates without rules of inspection follow the record: inspected for one of them, and not for the other, there is none.
  if (isSet(one) !== isSet(other) && one.must.length === 0 && other.must.length === 0) return undefined;
  const box: Box = one.box.map((set, axis) => intersect(set, other.box[axis]!));
  return { box, must: [...one.must, ...other.must], settings: { ...one.settings, ...other.settings } };
}

/** Of more entries a region is not written. */
const MAX_WRITTEN = 50;

/** Comparisons with the entries that lists gained and lost, since regions are best written with these. */
function addEntryAtoms(partitions: RecordingPartitions, { before, after, changedLists }: PairInput): void {
  const entriesOf = ({ rulebook }: EvaluationContext, name: string): Map<string, Value> =>
    new Map((rulebook.lists.get(name)?.source.entries ?? []).map((value) => [printValue(value), value]));
  for (const { comparison, feature } of [...partitions.atoms]) {
    if (comparison.operator !== 'in') continue;
    for (const value of comparison.values) {
      const name = value.kind === 'list' ? value.name.replace(SCOPE, '') : '';
      if (!changedLists.has(name)) continue;
      const [old, now] = [entriesOf(before, name), entriesOf(after, name)];
      const lost = [...old].filter(([text]) => !now.has(text)).map(([, entry]) => entry);
      const gained = [...now].filter(([text]) => !old.has(text)).map(([, entry]) => entry);
      for (const values of [lost, gained]) {
        if (values.length === 0 || values.length > MAX_WRITTEN) continue;
        const written: Comparison = { ...comparison, isNegated: false, values };
        const lookup = collectLookups([written], after.rulebook.lists).get(written);
        partitions.atomFor(feature, written, lookup, {});
      }
    }
  }
}

const SCOPE = 'before ';

/** Whether a comparison is with a list as it was. */
export function isScoped({ values }: Comparison): boolean {
  return values.some((value) => value.kind === 'list' && value.name.startsWith(SCOPE));
}

/** A comparison with a list as it was, written with its entries; undefined where there are too many. */
export function withEntries(comparison: Comparison, lists: Lists): Comparison | undefined {
  const values: Value[] = [];
  for (const value of comparison.values) {
    const isOld = value.kind === 'list' && value.name.startsWith(SCOPE);
    const source = isOld ? lists.get(value.name.slice(SCOPE.length))!.source : undefined;
    if (source && (source.exceptions.length > 0 || source.entries.length === 0)) return undefined;
    for (const one of source?.entries ?? [value]) values.push(one);
    if (values.length > MAX_WRITTEN) return undefined;
  }
  return { ...comparison, values };
}

function scopeComparison(comparison: Comparison, lists: Lists, changed: ReadonlySet<string>): Comparison {
  return { ...comparison, values: comparison.values.map((value) => scopeValue(value, lists, changed)) };
}

/** A list with other entries has another name before, one that no list can have. */
function scopeValue(value: Value, lists: Lists, changed: ReadonlySet<string>): Value {
  return isListName(value, lists) && changed.has(value.name)
    ? { kind: 'list', name: `${SCOPE}${value.name}`, place: value.place }
    : value;
}

function scopeLists(lists: Lists, changed: ReadonlySet<string>): Map<string, ResolvedList> {
  const scope = (values: readonly Value[]): Value[] => values.map((value) => scopeValue(value, lists, changed));
  return new Map(
    [...lists]
      .filter(([name]) => changed.has(name))
      .map(([name, list]) => [
        `${SCOPE}${name}`,
        {
          ...list,
          name: `${SCOPE}${name}`,
          source: {
            ...list.source,
            entries: scope(list.source.entries),
            exceptions: scope(list.source.exceptions),
          },
        },
      ]),
  );
}
