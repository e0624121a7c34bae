/**
 * Edits of a configuration, each a plain record that can travel. Applying one is a pure function from parts to parts,
 * so that a console can show what it will do before a service does it.
 */
import { rulePart, splitStatement, type Part, type PartKind } from '../language/parts.js';
import { parseDate } from '../language/measure.js';
import {
  NAME,
  RESERVED_WORDS,
  type FenceStatement,
  type GateStatement,
  type ListStatement,
  type Rule,
  type RuleState,
  type StatementKind,
} from '../language/tree.js';
import { parseRfc3339 } from '../request/time.js';
import {
  EditError,
  findPart,
  readRule,
  readStatement,
  ruleOf,
  statementOf,
  type Configuration,
} from './configuration.js';
import { editList, protectList, type EntryReport } from './list-entries.js';
import { startFrom } from './starting-points.js';
import { describePart, findUses, renameMentions, type Mentioned } from './uses.js';

/** The position of a part among parts of its kind. */
export type Position = { readonly at: 'top' | 'bottom' } | { readonly at: 'above' | 'below'; readonly name: string };

export type Edit =
  /**
   * Adds a statement, or replaces the one of its kind and name; a fence keeps its rules and its place. `part` is the kind
   * that the text has to be; with `isNew` there must be none of its name.
   */
  | { readonly kind: 'put'; readonly text: string; readonly part?: StatementKind; readonly isNew?: boolean }
  | { readonly kind: 'remove'; readonly part: StatementKind; readonly name: string }
  | { readonly kind: 'rename'; readonly part: StatementKind; readonly name: string; readonly to: string }
  | { readonly kind: 'add-rule'; readonly fence: string; readonly text: string; readonly position: Position }
  | { readonly kind: 'replace-rule'; readonly fence: string; readonly rule: string; readonly text: string }
  /** With `toFence` to another fence; what mentions the rule follows. */
  | {
      readonly kind: 'move-rule';
      readonly fence: string;
      readonly rule: string;
      readonly toFence?: string;
      readonly position: Position;
    }
  /** The clone arrives off, below its original. */
  | { readonly kind: 'clone-rule'; readonly fence: string; readonly rule: string; readonly name?: string }
  | { readonly kind: 'rename-rule'; readonly fence: string; readonly rule: string; readonly to: string }
  | { readonly kind: 'remove-rule'; readonly fence: string; readonly rule: string }
  | ({ readonly kind: 'set-rule'; readonly fence: string; readonly rule: string } & RuleSettings)
  | { readonly kind: 'set-mode'; readonly fence: string; readonly mode: 'trial' | 'enforce' }
  /** Whether the clients of a list of addresses are protected. */
  | { readonly kind: 'protect-list'; readonly list: string; readonly isProtected: boolean }
  | {
      readonly kind: 'edit-list';
      readonly list: string;
      readonly add: readonly string[];
      readonly remove: readonly string[];
    }
  | { readonly kind: 'attach'; readonly gate: string; readonly fence: string; readonly position: Position }
  | { readonly kind: 'detach'; readonly gate: string; readonly fence: string }
  /** Among the gates: of those that fit a request equally well the first judges it. */
  | { readonly kind: 'move-gate'; readonly gate: string; readonly position: Position }
  | { readonly kind: 'put-file'; readonly path: string; readonly text: string }
  | { readonly kind: 'start-from'; readonly startingPoint: string };

/** What can be set of a rule without writing it again; `null` takes it away. */
export interface RuleSettings {
  readonly state?: RuleState;
  readonly title?: string | null;
  readonly until?: string | null;
  readonly owner?: string | null;
  readonly reason?: string | null;
}

export const EDIT_KINDS = [
  'put',
  'remove',
  'rename',
  'add-rule',
  'replace-rule',
  'move-rule',
  'clone-rule',
  'rename-rule',
  'remove-rule',
  'set-rule',
  'set-mode',
  'protect-list',
  'edit-list',
  'attach',
  'detach',
  'move-gate',
  'put-file',
  'start-from',
] as const satisfies readonly Edit['kind'][];

export interface Edited {
  readonly configuration: Configuration;
  /** What became of each entry of edited lists. */
  readonly entries: readonly EntryReport[];
}

/** Applies edits one after the other. @throws EditError for the first edit that cannot be made */
export function applyEdits(configuration: Configuration, edits: readonly Edit[]): Edited {
  let entries: readonly EntryReport[] = [];
  let edited = configuration;
  for (const edit of edits) {
    if (edit.kind === 'edit-list') {
      const result = editList(edited, edit.list, edit.add, edit.remove);
      edited = result.configuration;
      entries = entries.concat(result.entries);
    } else if (edit.kind === 'put-file') {
      const others = edited.namedFiles.filter((file) => file.path !== edit.path);
      edited = { ...edited, namedFiles: [...others, { path: edit.path, text: edit.text }] };
    } else if (edit.kind === 'start-from') {
      edited = startFrom(edited, edit.startingPoint);
    } else {
      edited = { ...edited, parts: editParts(edited.parts, edit) };
    }
  }
  return { configuration: edited, entries };
}

type PartsEdit = Exclude<Edit, { kind: 'edit-list' | 'put-file' | 'start-from' }>;

function editParts(parts: readonly Part[], edit: PartsEdit): readonly Part[] {
  switch (edit.kind) {
    case 'put':
      return putStatement(parts, edit);
    case 'remove':
      return removeStatement(parts, edit.part, edit.name);
    case 'rename':
      return renameStatement(parts, edit.part, edit.name, edit.to);
    case 'add-rule':
      return addRule(parts, edit.fence, readRule(edit.text), edit.position);
    case 'replace-rule':
      return replaceRule(parts, edit.fence, edit.rule, readRule(edit.text));
    case 'move-rule':
      return moveRule(parts, edit);
    case 'clone-rule':
      return cloneRule(parts, edit.fence, edit.rule, edit.name);
    case 'rename-rule':
      return replaceRule(parts, edit.fence, edit.rule, {
        ...ruleOf(findPart(parts, 'rule', edit.rule, edit.fence)),
        name: checkName(edit.to),
      });
    case 'remove-rule':
      return removeRule(parts, edit.fence, edit.rule);
    case 'set-rule':
      return replaceRule(
        parts,
        edit.fence,
        edit.rule,
        setRule(ruleOf(findPart(parts, 'rule', edit.rule, edit.fence)), edit),
      );
    case 'set-mode':
      return replaceStatement(parts, 'fence', edit.fence, (it) => ({ ...(it as FenceStatement), mode: edit.mode }));
    case 'protect-list':
      return replaceStatement(parts, 'list', edit.list, (list) => protectList(list as ListStatement, edit.isProtected));
    case 'attach':
      findPart(parts, 'fence', edit.fence);
      return replaceStatement(parts, 'gate', edit.gate, (gate) =>
        attach(gate as GateStatement, edit.fence, edit.position),
      );
    case 'detach':
      return replaceStatement(parts, 'gate', edit.gate, (gate) => detach(gate as GateStatement, edit.fence));
    case 'move-gate':
      return moveGate(parts, edit.gate, edit.position);
  }
}

function putStatement(
  parts: readonly Part[],
  { text, part: wanted, isNew = false }: Extract<Edit, { kind: 'put' }>,
): Part[] {
  const statement = readStatement(text);
  if (wanted !== undefined && statement.kind !== wanted)
    throw new EditError('invalid-text', `Found ${withArticle(statement.kind)}, expected ${withArticle(wanted)}.`);
  const [head, ...rules] = splitStatement(statement);
  const at = parts.findIndex((part) => part.kind === head!.kind && part.name === head!.name && part.owner === '');
  if (at >= 0 && isNew)
    throw new EditError('name-taken', `There is a ${head!.kind} "${head!.name}" already.`, 'Choose another name.');
  // The rules of a fence are edited one by one; only a fence that is new brings its own.
  if (at >= 0 && rules.length > 0)
    throw new EditError('name-taken', `There is a fence "${head!.name}" already.`, 'Edit its rules one by one.');
  return at >= 0 ? parts.map((part, index) => (index === at ? head! : part)) : [...parts, head!, ...rules];
}

function withArticle(kind: StatementKind): string {
  return `${/^[aeiou]/.test(kind) ? 'an' : 'a'} ${kind === 'expect' ? 'expectation' : kind}`;
}

const MENTIONED: readonly PartKind[] = ['list', 'fence', 'schedule', 'page', 'application'];

function removeStatement(parts: readonly Part[], kind: StatementKind, name: string): Part[] {
  const part = findPart(parts, kind, name);
  const users = MENTIONED.includes(kind) ? findUses(parts, kind as Mentioned, name) : [];
  const ruleUsers = kind === 'fence' ? usersOfRules(parts, name) : [];
  const all = [...new Set([...users, ...ruleUsers])];
  if (all.length > 0)
    throw new EditError(
      'part-in-use',
      `The ${kind} ${name} is used by ${all.join(', ')}.`,
      'Take it out there first; nothing was removed.',
    );
  return parts.filter(
    (eachPart) => eachPart !== part && !(kind === 'fence' && eachPart.kind === 'rule' && eachPart.owner === name),
  );
}

function usersOfRules(parts: readonly Part[], fence: string): string[] {
  return parts
    .filter((part) => part.kind === 'rule' && part.owner === fence)
    .flatMap((part) => findUses(parts, 'rule', `${fence}/${part.name}`));
}

function renameStatement(parts: readonly Part[], kind: StatementKind, name: string, to: string): Part[] {
  if (kind === 'zone' || kind === 'expect') throw new EditError('invalid-text', `The ${kind} has no name.`);
  const part = findPart(parts, kind, name);
  checkName(to);
  if (to === name) return [...parts];
  if (parts.some((eachPart) => eachPart.kind === kind && eachPart.name === to))
    throw new EditError('name-taken', `There is a ${kind} "${to}" already.`, 'Choose another name.');
  const renamed = parts.flatMap((eachPart): readonly Part[] => {
    if (eachPart === part) return splitStatement({ ...statementOf(eachPart), name: to } as GateStatement);
    return eachPart.kind === 'rule' && kind === 'fence' && eachPart.owner === name
      ? [{ ...eachPart, owner: to }]
      : [eachPart];
  });
  return MENTIONED.includes(kind) ? renameMentions(renamed, kind as Mentioned, name, to) : renamed;
}

function addRule(parts: readonly Part[], fence: string, rule: Rule, position: Position): Part[] {
  findPart(parts, 'fence', fence);
  refuseTakenRule(parts, fence, rule.name);
  return insertRule(parts, rulePart(fence, rule), position);
}

function refuseTakenRule(parts: readonly Part[], fence: string, name: string): void {
  if (parts.some((part) => part.kind === 'rule' && part.owner === fence && part.name === name))
    throw new EditError('name-taken', `Fence ${fence} has a rule "${name}" already.`, 'Choose another name.');
}

/** Puts a rule among those of its fence. */
function insertRule(parts: readonly Part[], rule: Part, position: Position): Part[] {
  const fence = rule.owner;
  const before = position.at === 'top' || position.at === 'above';
  const headAt = parts.findIndex((part) => part.kind === 'fence' && part.name === fence);
  let at: number;
  if (position.at === 'above' || position.at === 'below')
    at = parts.indexOf(findPart(parts, 'rule', position.name, fence)) + (before ? 0 : 1);
  else if (before) at = headAt + 1;
  else at = parts.findLastIndex((part) => part.kind === 'rule' && part.owner === fence) + 1 || headAt + 1;
  return [...parts.slice(0, at), rule, ...parts.slice(at)];
}

function moveRule(
  parts: readonly Part[],
  { fence, rule, toFence = fence, position }: Extract<Edit, { kind: 'move-rule' }>,
): Part[] {
  const part = findPart(parts, 'rule', rule, fence);
  const others = parts.filter((eachPart) => eachPart !== part);
  if (toFence === fence) return insertRule(others, part, position);
  findPart(parts, 'fence', toFence);
  refuseTakenRule(parts, toFence, rule);
  const moved = insertRule(others, { ...part, owner: toFence }, position);
  return renameMentions(moved, 'rule', `${fence}/${rule}`, `${toFence}/${rule}`);
}

function moveGate(parts: readonly Part[], gate: string, position: Position): Part[] {
  const part = findPart(parts, 'gate', gate);
  const others = parts.filter((eachPart) => eachPart !== part);
  const gates = others.filter(({ kind }) => kind === 'gate');
  const anchor =
    'name' in position ? findPart(others, 'gate', position.name) : gates.at(position.at === 'top' ? 0 : -1);
  if (!anchor) return [...parts];
  const isBefore = position.at === 'top' || position.at === 'above';
  const at = others.indexOf(anchor) + (isBefore ? 0 : 1);
  return [...others.slice(0, at), part, ...others.slice(at)];
}

/** Puts a rule in the place of another; where its name is new, mentions follow. */
function replaceRule(parts: readonly Part[], fence: string, name: string, rule: Rule): Part[] {
  const part = findPart(parts, 'rule', name, fence);
  if (rule.name !== name) refuseTakenRule(parts, fence, rule.name);
  const replaced = parts.map((eachPart) => (eachPart === part ? rulePart(fence, rule) : eachPart));
  return rule.name === name ? replaced : renameMentions(replaced, 'rule', `${fence}/${name}`, `${fence}/${rule.name}`);
}

function cloneRule(parts: readonly Part[], fence: string, name: string, wanted: string | undefined): Part[] {
  const original = ruleOf(findPart(parts, 'rule', name, fence));
  const taken = new Set(parts.filter((part) => part.kind === 'rule' && part.owner === fence).map((part) => part.name));
  const clone: Rule = { ...original, name: wanted ?? freeName(name, taken), state: 'off', comments: [] };
  checkName(clone.name);
  return addRule(parts, fence, clone, { at: 'below', name });
}

const MAX_NAME = 63;

/** `name-2`, or the first number that is free. */
export function freeName(name: string, taken: ReadonlySet<string>): string {
  for (let number = 2; ; number += 1) {
    const suffix = `-${number}`;
    const candidate = `${name.slice(0, MAX_NAME - suffix.length)}${suffix}`;
    if (!taken.has(candidate)) return candidate;
  }
}

function removeRule(parts: readonly Part[], fence: string, name: string): Part[] {
  const part = findPart(parts, 'rule', name, fence);
  const users = findUses(parts, 'rule', `${fence}/${name}`);
  if (users.length > 0)
    throw new EditError(
      'part-in-use',
      `${capital(describePart(part))} is used by ${users.join(', ')}.`,
      'Take it out there first.',
    );
  return parts.filter((eachPart) => eachPart !== part);
}

function capital(text: string): string {
  return text[0]!.toUpperCase() + text.slice(1);
}

function setRule(rule: Rule, { state, title, until, owner, reason }: RuleSettings): Rule {
  return {
    ...rule,
    ...(state === undefined ? {} : { state }),
    ...setText('title', title),
    ...setText('owner', owner),
    ...setText('reason', reason),
    ...(until === undefined ? {} : { until: until === null ? undefined : readUntil(until) }),
  };
}

function setText<K extends string>(key: K, value: string | null | undefined): Partial<Record<K, string | undefined>> {
  return value === undefined ? {} : ({ [key]: value ?? undefined } as Record<K, string | undefined>);
}

function readUntil(text: string): NonNullable<Rule['until']> {
  const date = parseDate(text);
  if (date !== undefined) return { kind: 'date', date };
  const atUnixMs = parseRfc3339(text);
  if (atUnixMs !== undefined) return { kind: 'instant', atUnixMs };
  throw new EditError(
    'invalid-text',
    `Found "${text}", expected a date such as 2026-12-24 or a time such as 2026-12-24T18:00:00Z.`,
  );
}

type Changeable = FenceStatement | GateStatement | ListStatement;

function replaceStatement(
  parts: readonly Part[],
  kind: 'fence' | 'gate' | 'list',
  name: string,
  change: (statement: Changeable) => Changeable,
): Part[] {
  const part = findPart(parts, kind, name);
  const changed = splitStatement(change(statementOf(part) as Changeable));
  return parts.map((eachPart) => (eachPart === part ? changed[0]! : eachPart));
}

/** A fence that is already attached is moved. */
function attach(gate: GateStatement, fence: string, position: Position): GateStatement {
  const { place } = gate;
  const others = gate.fences.filter(({ name }) => name !== fence);
  let at = position.at === 'top' ? 0 : others.length;
  if (position.at === 'above' || position.at === 'below') {
    const anchor = others.findIndex(({ name }) => name === position.name);
    if (anchor < 0)
      throw new EditError('unknown-part', `The fence "${position.name}" is not attached to gate ${gate.name}.`);
    at = position.at === 'above' ? anchor : anchor + 1;
  }
  return { ...gate, fences: [...others.slice(0, at), { name: fence, place }, ...others.slice(at)] };
}

function detach(gate: GateStatement, fence: string): GateStatement {
  const others = gate.fences.filter(({ name }) => name !== fence);
  if (others.length === gate.fences.length)
    throw new EditError('unknown-part', `The fence "${fence}" is not attached to gate ${gate.name}.`);
  return { ...gate, fences: others };
}

function checkName(name: string): string {
  if (!NAME.test(name) || RESERVED_WORDS.has(name))
    throw new EditError(
      'invalid-text',
      `Found "${name}", expected a name.`,
      'A name begins with a small letter and goes on with small letters, digits and hyphens, 63 at most.',
    );
  return name;
}
