/**
 * A write of the draft as a step that can be taken back and taken again, also after others have changed other parts: each
 * part that it touched has its text and its place before and after.
 */
import type { Change } from '../language/changes.js';
import type { Part, PartKind } from '../language/parts.js';
import { EditError, type Configuration } from './configuration.js';
import { describePart } from './uses.js';

/** A part, or a file, on one side of a step. */
export interface StepSide {
  readonly text: string;
  /** The key of the part in front of it; null for the first. */
  readonly follows: string | null;
  /** Its place among all parts, for the order in which several are put back. */
  readonly index: number;
}

export interface StepPart {
  readonly kind: PartKind | 'file';
  readonly owner: string;
  readonly name: string;
  /** Absent where it was not there. */
  readonly before?: StepSide;
  readonly after?: StepSide;
}

export type Step = readonly StepPart[];
export type StepDirection = 'undo' | 'redo';

/** @param changes what differs between the two; others of it are not part of the step */
export function recordStep(before: Configuration, after: Configuration, changes: readonly Change[]): Step {
  const [old, now] = [indexSides(before), indexSides(after)];
  return changes.flatMap(({ part, name }): Step => {
    if (part === 'dataset') return [];
    const slash = part === 'rule' ? name.indexOf('/') : -1;
    const id = { kind: part, owner: name.slice(0, Math.max(0, slash)), name: name.slice(slash + 1) };
    return [{ ...id, before: old.get(keyOf(id)), after: now.get(keyOf(id)) }];
  });
}

function indexSides({ parts, namedFiles }: Configuration): ReadonlyMap<string, StepSide> {
  return new Map([
    ...parts.map((part, index) => {
      const follows = index === 0 ? null : keyOf(parts[index - 1]!);
      return [keyOf(part), { text: part.text, follows, index }] as const;
    }),
    ...namedFiles.map(({ path, text }, index) => [keyOfFile(path), { text, follows: null, index }] as const),
  ]);
}

/**
 * Takes a step back, or takes it again.
 * @throws EditError where a part that it touches has changed since
 */
export function applyStep(configuration: Configuration, step: Step, direction: StepDirection): Configuration {
  const sides = step.map(({ before, after, ...id }) =>
    direction === 'undo' ? { id, from: after, to: before } : { id, from: before, to: after },
  );
  const texts = new Map([
    ...configuration.parts.map((part) => [keyOf(part), part.text] as const),
    ...configuration.namedFiles.map(({ path, text }) => [keyOfFile(path), text] as const),
  ]);
  for (const { id, from } of sides)
    if (texts.get(keyOf(id)) !== from?.text)
      throw new EditError(
        'changed-since',
        `${capitalize(describeId(id))} has changed since, so nothing was ${direction === 'undo' ? 'undone' : 'redone'}.`,
        'Look at it, and change it as it is now.',
      );
  const byKey = new Map(sides.map((side) => [keyOf(side.id), side]));
  const order = new PartOrder(
    configuration.parts.flatMap((part): Part[] => {
      const side = byKey.get(keyOf(part));
      if (!side) return [part];
      return isDisplaced(side) ? [] : [{ ...part, text: side.to!.text }];
    }),
  );
  sides
    .flatMap(({ id, from, to }) => (to && id.kind !== 'file' && isDisplaced({ from, to }) ? [{ id, to }] : []))
    .sort((a, b) => a.to.index - b.to.index)
    .forEach(({ id, to }) => order.insert({ ...id, kind: id.kind as PartKind, text: to.text }, to.follows));
  return { ...configuration, parts: order.all(), namedFiles: putFiles(configuration, sides) };
}

/** What only changes its text stays where it is. */
function isDisplaced({ from, to }: Pick<Sides, 'from' | 'to'>): boolean {
  return !from || !to || from.follows !== to.follows;
}

interface Sides {
  readonly id: Omit<StepPart, 'before' | 'after'>;
  readonly from: StepSide | undefined;
  readonly to: StepSide | undefined;
}

function putFiles({ namedFiles }: Configuration, sides: readonly Sides[]): Configuration['namedFiles'] {
  const files = new Map(namedFiles.map((file) => [file.path, file]));
  for (const { id, to } of sides) {
    if (id.kind !== 'file') continue;
    if (to) files.set(id.name, { path: id.name, text: to.text });
    else files.delete(id.name);
  }
  return [...files.values()];
}

/** Parts as a linked list, so that thousands are put back in a moment. */
class PartOrder {
  readonly #parts = new Map<string, Part>();
  readonly #next = new Map<string, string>();
  #first: string | undefined;
  #last: string | undefined;

  constructor(parts: readonly Part[]) {
    for (const part of parts) this.#insertAfter(part, this.#last);
  }

  /** Behind the part that it followed; where that is gone, at the end of its fence, or of all. */
  insert(part: Part, follows: string | null): void {
    this.#insertAfter(part, follows === null ? undefined : this.#placeOf(part, follows));
  }

  all(): Part[] {
    return [...this.#keys()].map((key) => this.#parts.get(key)!);
  }

  #placeOf({ kind, owner }: Part, follows: string): string | undefined {
    const before = this.#parts.get(follows);
    if (kind !== 'rule') {
      if (!before) return this.#last;
      let place = follows;
      // A statement never comes between a fence and its rules.
      for (let next = this.#next.get(place); next !== undefined; next = this.#next.get(place)) {
        if (this.#parts.get(next)!.kind !== 'rule') break;
        place = next;
      }
      return place;
    }
    if (before && isOfFence(before, owner)) return follows;
    return [...this.#keys()].findLast((key) => isOfFence(this.#parts.get(key)!, owner));
  }

  /** @param place the key of the part in front of it; the first of all without one */
  #insertAfter(part: Part, place: string | undefined): void {
    const key = keyOf(part);
    const next = place === undefined ? this.#first : this.#next.get(place);
    this.#parts.set(key, part);
    if (next !== undefined) this.#next.set(key, next);
    else this.#last = key;
    if (place === undefined) this.#first = key;
    else this.#next.set(place, key);
  }

  *#keys(): Generator<string> {
    for (let key = this.#first; key !== undefined; key = this.#next.get(key)) yield key;
  }
}

function isOfFence(part: Part, fence: string): boolean {
  return part.kind === 'rule' ? part.owner === fence : part.kind === 'fence' && part.name === fence;
}

function keyOf({ kind, owner, name }: Omit<StepPart, 'before' | 'after'>): string {
  return `${kind} ${owner} ${name}`;
}

function keyOfFile(path: string): string {
  return keyOf({ kind: 'file', owner: '', name: path });
}

function describeId({ kind, owner, name }: Omit<StepPart, 'before' | 'after'>): string {
  return kind === 'file' ? `the file ${name}` : describePart({ kind, owner, name });
}

function capitalize(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}
