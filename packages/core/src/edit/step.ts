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
  const touched = new Set(sides.map(({ id }) => keyOf(id)));
  const parts = configuration.parts.map((part) => part);
  // What only changes its text stays where it is.
  const placed = sides.filter(({ from, to }) => from?.follows !== to?.follows || !from || !to);
  const displaced = new Set(placed.map(({ id }) => keyOf(id)));
  const rest = parts.flatMap((part): Part[] => {
    const key = keyOf(part);
    if (!touched.has(key)) return [part];
    if (displaced.has(key)) return [];
    return [{ ...part, text: sides.find(({ id }) => keyOf(id) === key)!.to!.text }];
  });
  const returning = placed
    .flatMap(({ id, to }) => (to && id.kind !== 'file' ? [{ ...id, kind: id.kind, to }] : []))
    .sort((a, b) => a.to.index - b.to.index);
  for (const { to, ...id } of returning) rest.splice(placeOf(rest, id, to.follows), 0, { ...id, text: to.text });
  return { ...configuration, parts: rest, namedFiles: putFiles(configuration, sides) };
}

interface Sides {
  readonly id: Omit<StepPart, 'before' | 'after'>;
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

/** Behind the part that it followed; where that is gone, at the end of its fence, or of all. */
function placeOf(
  parts: readonly Part[],
  { kind, owner }: Pick<Part, 'kind' | 'owner'>,
  follows: string | null,
): number {
  if (follows === null) return 0;
  const before = parts.findIndex((part) => keyOf(part) === follows);
  if (before >= 0 && (kind !== 'rule' || isOfFence(parts[before]!, owner))) {
    let place = before + 1;
    // A statement never comes between a fence and its rules.
    if (kind !== 'rule') while (place < parts.length && parts[place]!.kind === 'rule') place += 1;
    return place;
  }
  if (kind !== 'rule') return parts.length;
  return parts.findLastIndex((part) => isOfFence(part, owner)) + 1;
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
