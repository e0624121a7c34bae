import { operatorWord } from './condition-parser.js';
import {
  DEFAULT_BLOCK_STATUS,
  type Action,
  type Comparison,
  type Condition,
  type Ending,
  type FenceFile,
  type FenceStatement,
  type GateStatement,
  type ListStatement,
  type Rule,
  type Statement,
  type Value,
} from './tree.js';
import { printValue } from './value.js';

const MAX_WIDTH = 110;

/** The canonical text of a file. `parseFences(printFences(x))` is `x`, and printing twice changes nothing. */
export function printFences(file: FenceFile): string {
  const blocks = file.statements.map(printStatement);
  if (file.comments.length > 0) blocks.push(printComments(file.comments, '').trimEnd());
  // Lists in a row stand together; everything else has an empty line above it.
  return (
    blocks.reduce((text, block, index) => {
      const isListRun =
        index > 0 &&
        file.statements[index]?.kind === 'list' &&
        file.statements[index - 1]!.kind === 'list' &&
        file.statements[index]!.comments.length === 0;
      return `${text}${index === 0 ? '' : isListRun ? '\n' : '\n\n'}${block}`;
    }, '') + (blocks.length > 0 ? '\n' : '')
  );
}

export function printStatement(statement: Statement): string {
  const above = printComments(statement.comments, '');
  switch (statement.kind) {
    case 'list':
      return above + printList(statement);
    case 'gate':
      return above + printGate(statement);
    case 'fence':
      return above + printFence(statement);
  }
}

function printComments(comments: readonly string[], indent: string): string {
  return comments.map((comment) => `${indent}#${comment === '' ? '' : ` ${comment}`}\n`).join('');
}

function printTitle(title: string | undefined): string {
  return title === undefined ? '' : ` ${JSON.stringify(title)}`;
}

function printValues(values: readonly Value[]): string {
  return values.map(printValue).join(', ');
}

function printList({ name, listKind, title, source }: ListStatement): string {
  const head = `list ${name} ${listKind}${printTitle(title)}`;
  if (source.kind === 'file') return `${head} from ${JSON.stringify(source.path)}`;
  const parts = [
    printValues(source.entries),
    source.exceptions.length > 0 ? `except ${printValues(source.exceptions)}` : '',
  ].filter(Boolean);
  const oneLine = `${head} { ${parts.join(' ')} }`;
  if (parts.length === 0) return `${head} { }`;
  if (oneLine.length <= MAX_WIDTH) return oneLine;
  const tall = (values: readonly Value[]): string => values.map((value) => `  ${printValue(value)}`).join(',\n');
  return [
    `${head} {`,
    ...(source.entries.length > 0 ? [tall(source.entries)] : []),
    ...(source.exceptions.length > 0 ? ['  except', tall(source.exceptions)] : []),
    '}',
  ].join('\n');
}

function printGate({ name, direction, hosts, fences, otherwise }: GateStatement): string {
  return [
    `gate ${name} ${direction} {`,
    ...(hosts.length > 0 ? [`  hosts ${printValues(hosts)}`] : []),
    ...(fences.length > 0 ? [`  fences ${fences.map((fence) => fence.name).join(', ')}`] : []),
    `  otherwise ${printEnding(otherwise)}`,
    '}',
  ].join('\n');
}

function printEnding(ending: Ending | { kind: 'continue' }): string {
  return ending.kind === 'block' ? `block${printStatus(ending.status)}` : ending.kind;
}

function printStatus(status: number): string {
  return status === DEFAULT_BLOCK_STATUS ? '' : ` ${status}`;
}

function printFence(fence: FenceStatement): string {
  const ending = fence.otherwise.kind === 'continue' ? [] : [`  otherwise ${printEnding(fence.otherwise)}`];
  return [printFenceHead(fence), ...fence.rules.map((rule) => printRule(rule)), ...ending, '}'].join('\n');
}

function printFenceHead({ name, mode, title }: FenceStatement): string {
  return `fence ${name} ${mode}${printTitle(title)} {`;
}

/** One rule, indented by two, comments above it. */
export function printRule(rule: Rule): string {
  const head = `rule ${rule.name}${printTitle(rule.title)}${rule.state === 'on' ? '' : ` ${rule.state}`} ${printAction(rule.action)}`;
  const condition = `when ${printCondition(rule.condition)}`;
  const isShort = head.length + condition.length + 3 <= MAX_WIDTH;
  return `${printComments(rule.comments, '  ')}  ${head}${isShort ? ' ' : '\n    '}${condition}`;
}

export function printAction(action: Action): string {
  switch (action.kind) {
    case 'allow':
      return action.isOutright ? 'allow outright' : 'allow';
    case 'block':
      return `block${printStatus(action.status)}`;
    case 'tag':
      return `tag ${action.tags.join(', ')}`;
    case 'observe':
      return 'observe';
  }
}

export function printCondition(condition: Condition): string {
  switch (condition.kind) {
    case 'always':
      return 'always';
    case 'comparison':
      return printComparison(condition);
    case 'not':
      return `not ${condition.part.kind === 'comparison' ? printComparison(condition.part) : `(${printCondition(condition.part)})`}`;
    case 'and':
    case 'or':
      return condition.parts
        .map((part) => (part.kind === 'or' ? `(${printCondition(part)})` : printCondition(part)))
        .join(` ${condition.kind} `);
  }
}

function printComparison({ field, operator, isNegated, values }: Comparison): string {
  return [field, operatorWord(operator, isNegated), ...(values.length > 0 ? [printValues(values)] : [])].join(' ');
}
