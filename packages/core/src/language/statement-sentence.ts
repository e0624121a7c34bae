/** Statements other than rules as plain English sentences. */
import { formatRange } from '../request/address.js';
import { printDuration, printHours, printInstant } from './measure.js';
import { printField } from './condition-text.js';
import { VALUE_KIND_OF } from './fields.js';
import { runsOf } from './schedule-text.js';
import { countEntries, describeCondition, describeEnding, joinWords, type ListSizes } from './sentence.js';
import type {
  ApplicationStatement,
  ExpectStatement,
  FenceStatement,
  GateStatement,
  ListStatement,
  ScheduleStatement,
  Statement,
  Value,
} from './tree.js';
import { printText, printValue } from './value.js';

/** Entries that a sentence names before it only counts. */
const SHOWN_ENTRIES = 8;

/** @param lists sizes of the lists, where they are known */
export function describeStatement(statement: Statement, lists: ListSizes): string {
  switch (statement.kind) {
    case 'zone':
      return `Dates and schedules are in the time of ${statement.zone}.`;
    case 'list':
      return describeList(statement);
    case 'schedule':
      return describeSchedule(statement);
    case 'page':
      return `The page ${statement.name} is kept in ${statement.source.path}.`;
    case 'application':
      return describeApplication(statement, lists);
    case 'gate':
      return describeGate(statement, lists);
    case 'fence':
      return describeFence(statement);
    case 'expect':
      return describeExpectation(statement);
  }
}

/** What it holds, and where its clients are protected, that. */
function describeList(statement: ListStatement): string {
  const protection = statement.isProtected ? ' Its clients are protected: none of them is to be stopped.' : '';
  return `${describeEntries(statement)}${protection}`;
}

function describeEntries({ name, listKind, source }: ListStatement): string {
  if (source.kind === 'file') return `The list ${name} holds the ${listKind} kept in ${source.path}.`;
  if (source.kind === 'dataset') return `The list ${name} holds the ${listKind} of the dataset ${source.name}.`;
  const { entries, exceptions } = source;
  const print = (values: readonly Value[]): string =>
    joinWords(
      values.map((value) => printValue(value, VALUE_KIND_OF[listKind])),
      'and',
    );
  if (entries.length === 0) return `The list ${name} is an empty list of ${listKind}.`;
  const held = entries.length <= SHOWN_ENTRIES ? print(entries) : countEntries(listKind, entries.length);
  const except =
    exceptions.length === 0
      ? ''
      : ` except ${exceptions.length <= SHOWN_ENTRIES ? print(exceptions) : countEntries(listKind, exceptions.length)}`;
  return `The list ${name} holds ${held}${except}.`;
}

const DAY_NAMES = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];

export function describeSchedule({ name, zone, weekly, exceptions }: ScheduleStatement): string {
  const hours = weekly.map(({ days, spans }) => `${describeDays(days)} ${joinWords(spans.map(printHours), 'and')}`);
  return [
    `The schedule ${name} is ${hours.join('; ')}`,
    zone === undefined ? '' : `, in the time of ${zone}`,
    exceptions.length > 0 ? `, but not on ${joinWords(exceptions, 'and')}` : '',
    '.',
  ].join('');
}

function describeDays(days: readonly number[]): string {
  if (days.length === 7) return 'every day';
  const words = runsOf(days).flatMap((run) =>
    run.length > 2
      ? [`${DAY_NAMES[run[0]! - 1]} to ${DAY_NAMES[run.at(-1)! - 1]}`]
      : run.map((day) => DAY_NAMES[day - 1]!),
  );
  return joinWords(words, 'and');
}

function describeApplication({ name, signatures, over, needs }: ApplicationStatement, lists: ListSizes): string {
  const recognised = signatures.map((condition) => describeCondition(condition, lists)).join(', or when ');
  return [
    `The application ${name} is ${signatures.length > 0 ? `recognised when ${recognised}` : 'never recognised'}`,
    over ? `, runs over ${over.name}` : '',
    needs.length > 0
      ? `, and needs ${joinWords(
          needs.map((need) => need.name),
          'and',
        )}`
      : '',
    '.',
  ].join('');
}

function describeGate(gate: GateStatement, lists: ListSizes): string {
  const { name, direction, hosts, clients, clientFrom, pathForms, inspection, fences, otherwise } = gate;
  const print = (values: readonly Value[], last: 'and' | 'or'): string =>
    joinWords(
      values.map((value) => printValue(value)),
      last,
    );
  const protects =
    direction === 'inbound' ? `protects ${print(hosts, 'and')}` : `is where ${print(clients, 'and')} go out`;
  return [
    `The ${direction} gate ${name} ${protects}`,
    clientFrom
      ? `, takes the client from the header ${clientFrom.header} where ${print(clientFrom.trusting, 'or')} set it`
      : '',
    pathForms.length > 0 ? `, reads paths with ${pathForms.join(' and ')}` : '',
    inspection
      ? `, ${[
          ...inspection.rules.map(
            ({ isInspected, condition }) =>
              `${isInspected ? 'inspects' : 'leaves alone'} what is encrypted when ${describeCondition(condition, lists)}`,
          ),
          `otherwise ${inspection.otherwise ? 'inspects it' : 'leaves it alone'}`,
        ].join(', ')}`
      : '',
    fences.length > 0
      ? `, evaluates ${joinWords(
          fences.map((fence) => fence.name),
          'and',
        )} in this order`
      : ', evaluates no fence',
    `; where none decides: ${describeEnding(otherwise)}.`,
  ].join('');
}

function describeFence({ name, mode, rules, otherwise }: FenceStatement): string {
  const count = rules.length === 0 ? '' : ` with ${rules.length} ${rules.length === 1 ? 'rule' : 'rules'}`;
  const is = mode === 'trial' ? 'is on trial' : 'is enforced';
  return `The fence ${name} ${is}${count}; where no rule ends it: ${describeEnding(otherwise)}.`;
}

export function describeExpectation(expectation: ExpectStatement): string {
  const { outcome, by, after, client, url, with: fields, atUnixMs, because } = expectation;
  const extras = fields.map(({ field, parameter, value }) => `${printField(field, parameter)} ${printText(value)}`);
  return [
    `A request from ${formatRange(client)} to ${url}`,
    extras.length > 0 ? ` with ${joinWords(extras, 'and')}` : '',
    atUnixMs === undefined ? '' : ` at ${printInstant(atUnixMs)}`,
    after ? ` must be limited after ${after.count} in ${printDuration(after.windowMs)}` : ` must be ${outcome}`,
    by ? ` by the rule ${by.fence}/${by.rule}` : '',
    because === undefined ? '' : `, because ${because}`,
    '.',
  ].join('');
}
