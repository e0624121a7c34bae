/** Differences between configurations by what they mean, not by their text. */
import { createTwoFilesPatch } from 'diff';
import { compareParts, type Change } from '../language/changes.js';
import { VALUE_KIND_OF } from '../language/fields.js';
import { parseRulePart, parsePart } from '../language/parts.js';
import type { Dataset } from '../reference/dataset.js';
import {
  capitalize,
  countEntries,
  describeAction,
  describeCondition,
  describeEnding,
  describeRule,
} from '../language/sentence.js';
import { describeStatement } from '../language/statement-sentence.js';
import { printUntil } from '../language/fence-text.js';
import type { FenceStatement, GateStatement, ListStatement, Rule, Statement, Value } from '../language/tree.js';
import { printValue } from '../language/value.js';
import { EDIT_FILE, type Configuration } from './configuration.js';

/** What differs, statements and rules first, then files. @param movers what the user moved, see `compareParts` */
export function compareConfigurations(
  before: Configuration,
  after: Configuration,
  movers?: ReadonlySet<string>,
): Change[] {
  const texts = ({ namedFiles }: Configuration): [string, string][] => namedFiles.map(({ path, text }) => [path, text]);
  const contents = ({ datasets = [] }: Configuration): [string, string][] =>
    datasets.map((dataset) => [dataset.name, describeDataset(dataset)]);
  return [
    ...compareParts(before.parts, after.parts, movers),
    ...compareTexts('file', texts(before), texts(after)),
    ...compareTexts('dataset', contents(before), contents(after)),
  ];
}

function describeDataset({ kind, numEntries, sha256 }: Dataset): string {
  return `${countEntries(kind, numEntries)} (SHA-256 ${sha256.slice(0, 12)})`;
}

function compareTexts(
  part: 'file' | 'dataset',
  before: readonly [string, string][],
  after: readonly [string, string][],
): Change[] {
  const [old, now] = [new Map(before), new Map(after)];
  return [...new Set([...old.keys(), ...now.keys()])].sort().flatMap((name): Change[] => {
    const [was, is] = [old.get(name), now.get(name)];
    if (was === is) return [];
    const kind = was === undefined ? 'added' : is === undefined ? 'removed' : 'changed';
    return [
      {
        kind,
        part,
        name,
        ...(was === undefined ? {} : { before: was }),
        ...(is === undefined ? {} : { after: is }),
      },
    ];
  });
}

/** A change in words. */
export interface DescribedChange extends Change {
  /** One sentence: what changed. */
  readonly summary: string;
  /** Details, one line each; empty if the summary is complete. */
  readonly details: readonly string[];
}

const NO_SIZES = new Map();

export function describeChange(change: Change): DescribedChange {
  const details = DETAILS[change.part as keyof typeof DETAILS] ?? statementDetails;
  const isRenamed = change.wasNamed !== undefined || change.isNamed !== undefined;
  return { ...change, summary: summarizeChange(change), details: isRenamed ? [] : details(change) };
}

const DETAILS = { file: fileDetails, dataset: datasetDetails, rule: ruleDetails };

function datasetDetails({ before, after }: Change): string[] {
  return difference('content', before, after);
}

const SHOWN_LINES = 20;

function fileDetails({ before = '', after = '' }: Change): string[] {
  const [old, now] = [before, after].map((text) => text.split(/\r?\n/).filter((line) => line.trim() !== ''));
  const shorten = (lines: readonly string[]): string[] =>
    lines.length <= SHOWN_LINES
      ? [...lines]
      : [...lines.slice(0, SHOWN_LINES), `and ${lines.length - SHOWN_LINES} more`];
  const [kept, gone] = [new Set(old), new Set(now)];
  const added = now!.filter((line) => !kept.has(line));
  const removed = old!.filter((line) => !gone.has(line));
  return [
    ...(added.length > 0 ? [`Lines added: ${shorten(added).join(', ')}.`] : []),
    ...(removed.length > 0 ? [`Lines removed: ${shorten(removed).join(', ')}.`] : []),
  ];
}

/** One sentence: what changed. */
export function summarizeChange(change: Change): string {
  const { kind, part, name } = change;
  const { wasNamed, isNamed } = change;
  if (wasNamed !== undefined) return `${capitalize(`${part} ${name}`)} is what was named ${wasNamed}.`;
  if (isNamed !== undefined) return `${capitalize(`${part} ${name}`)} was renamed to ${isNamed}.`;
  if (part === 'expect') return `An expectation was ${kind}.`;
  return `${capitalize(part === 'zone' ? 'the zone' : `${part} ${name}`)} was ${kind}.`;
}

function ruleDetails({ kind, before, after }: Change): string[] {
  const [old, now] = [before, after].map((text) => (text === undefined ? undefined : readRule(text)));
  if (kind === 'moved') return ['Its position in the fence changed; it is otherwise the same.'];
  if (!old || !now) return [describeRule((old ?? now)!, NO_SIZES)];
  return [
    ...difference('name', old.name, now.name),
    ...difference('title', old.title, now.title),
    ...difference('state', old.state, now.state),
    ...difference('action', describeAction(old.action), describeAction(now.action)),
    ...difference('condition', describeCondition(old.condition, NO_SIZES), describeCondition(now.condition, NO_SIZES)),
    ...difference('hours', describeHours(old), describeHours(now)),
    ...difference('end', old.until && printUntil(old.until), now.until && printUntil(now.until)),
    ...difference('where it cannot be known', whenUnknown(old), whenUnknown(now)),
    ...difference('owner', old.owner, now.owner),
    ...difference('reason', old.reason, now.reason),
    ...difference('comment', old.comments.join(' '), now.comments.join(' ')),
  ];
}

function readRule(text: string): Rule {
  return parseRulePart({ kind: 'rule', owner: 'f', name: '', text }, EDIT_FILE);
}

function describeHours({ hours }: Rule): string | undefined {
  return hours && `${hours.isOutside ? 'outside' : 'during'} ${hours.schedule.name}`;
}

function whenUnknown({ matchesUnknown }: Rule): string {
  return matchesUnknown ? 'it matches' : 'it does not match';
}

function difference(what: string, given: string | undefined, then: string | undefined): string[] {
  // Sentences end their parts with a comma where something follows.
  const [before, after] = [given, then].map((text) => text?.replace(/,$/, ''));
  if ((before ?? '') === (after ?? '')) return [];
  if (!before) return [`${capitalize(what)} added: ${after}.`];
  if (!after) return [`${capitalize(what)} removed: ${before}.`];
  return [`${capitalize(what)} changed from ${before} to ${after}.`];
}

function statementDetails({ kind, before, after }: Change): string[] {
  const [old, now] = [before, after].map((text) => (text === undefined ? undefined : parsePart(text, EDIT_FILE)));
  if (kind === 'moved') return ['Its position changed; it is otherwise the same.'];
  if (!old || !now || old.kind !== now.kind) return [describe((old ?? now)!)];
  const comment = difference('comment', old.comments.join(' '), now.comments.join(' '));
  if (old.kind === 'list') return [...listDetails(old, now as ListStatement), ...comment];
  if (old.kind === 'gate') return [...gateDetails(old, now as GateStatement), ...comment];
  if (old.kind === 'fence') return [...fenceDetails(old, now as FenceStatement), ...comment];
  const [was, is] = [describe(old), describe(now)];
  return was === is ? comment : [`Before: ${was}`, `Now: ${is}`, ...comment];
}

function describe(statement: Statement): string {
  return describeStatement(statement, NO_SIZES);
}

function fenceDetails(old: FenceStatement, now: FenceStatement): string[] {
  return [
    ...difference('mode', old.mode, now.mode),
    ...difference('title', old.title, now.title),
    ...difference('otherwise', describeEnding(old.otherwise), describeEnding(now.otherwise)),
  ];
}

function protection({ isProtected }: ListStatement): string | undefined {
  return isProtected ? 'protected' : undefined;
}

function listDetails(old: ListStatement, now: ListStatement): string[] {
  const texts = (list: ListStatement, side: 'entries' | 'exceptions'): string[] =>
    list.source.kind === 'inline'
      ? list.source[side].map((value) => printValue(value, VALUE_KIND_OF[list.listKind]))
      : [];
  const file = (list: ListStatement): string | undefined =>
    list.source.kind === 'file' ? list.source.path : undefined;
  const dataset = (list: ListStatement): string | undefined =>
    list.source.kind === 'dataset' ? list.source.name : undefined;
  return [
    ...difference('kind', old.listKind, now.listKind),
    ...difference('protection', protection(old), protection(now)),
    ...difference('title', old.title, now.title),
    ...difference('file', file(old), file(now)),
    ...difference('dataset', dataset(old), dataset(now)),
    ...setDetails('member', texts(old, 'entries'), texts(now, 'entries')),
    ...setDetails('exception', texts(old, 'exceptions'), texts(now, 'exceptions')),
  ];
}

function gateDetails(old: GateStatement, now: GateStatement): string[] {
  const print = (values: readonly Value[]): string[] => values.map((value) => printValue(value));
  const stack = (gate: GateStatement): string => gate.fences.map(({ name }) => name).join(', ');
  const header = ({ clientFrom }: GateStatement): string | undefined =>
    clientFrom && `${clientFrom.header} where ${print(clientFrom.trusting).join(', ')} set it`;
  const inspection = ({ inspection: rules }: GateStatement): string | undefined =>
    rules &&
    [
      ...rules.rules.map(
        (rule) => `${rule.isInspected ? 'inspect' : 'exempt'} when ${describeCondition(rule.condition, NO_SIZES)}`,
      ),
      `otherwise ${rules.otherwise ? 'inspect' : 'exempt'}`,
    ].join('; ');
  return [
    ...difference('direction', old.direction, now.direction),
    ...setDetails('host', print(old.hosts), print(now.hosts)),
    ...setDetails('client network', print(old.clients), print(now.clients)),
    ...difference('client header', header(old), header(now)),
    ...difference('reading of paths', old.pathForms.join(', '), now.pathForms.join(', ')),
    ...difference('inspection', inspection(old), inspection(now)),
    ...difference('stack of fences', stack(old), stack(now)),
    ...difference('otherwise', describeEnding(old.otherwise), describeEnding(now.otherwise)),
  ];
}

function setDetails(what: string, before: readonly string[], after: readonly string[]): string[] {
  const line = (verb: string, texts: readonly string[]): string[] =>
    texts.length === 0 ? [] : [`${capitalize(what)}${texts.length === 1 ? '' : 's'} ${verb}: ${texts.join(', ')}.`];
  const [old, now] = [new Set(before), new Set(after)];
  const added = after.filter((text) => !old.has(text));
  const removed = before.filter((text) => !now.has(text));
  const isMoved = added.length === 0 && removed.length === 0 && before.join() !== after.join();
  return [
    ...line('added', added),
    ...line('removed', removed),
    ...(isMoved ? [`The order of the ${what}s changed.`] : []),
  ];
}

/** The difference of two texts in the unified format; empty where they are equal. */
export function diffTexts(before: string, after: string, beforeName: string, afterName: string): string {
  if (before === after) return '';
  return createTwoFilesPatch(beforeName, afterName, before, after, undefined, undefined, { context: 3 }).replace(
    /^=+\n/,
    '',
  );
}
