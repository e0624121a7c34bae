/** Configurations as people read them. */
import type { Draft, DraftFence } from '@jadefence/contract';
import type { CheckedFences } from '@jadefence/core/check';
import {
  describeEnding,
  describeRule,
  describeStatement,
  printRule,
  printValue,
  type FenceStatement,
  type ListSizes,
  type ListStatement,
  type Statement,
} from '@jadefence/core/language';

type Presented = Pick<Draft, 'gates' | 'fences' | 'lists' | 'schedules' | 'diagnostics' | 'warnings'>;
/** What stays read stays described. */
const presented = new WeakMap<CheckedFences, Presented>();

export function presentFences(checked: CheckedFences): Presented {
  const known = presented.get(checked) ?? describeFences(checked);
  presented.set(checked, known);
  return known;
}

function describeFences({ files, diagnostics, warnings, rulebook }: CheckedFences): Presented {
  const statements = files.flatMap((file) => file.statements);
  const sizes: ListSizes = rulebook?.lists ?? new Map();
  const gates = ofKind(statements, 'gate').map(({ name, direction, hosts, clients, fences, otherwise }) => ({
    name,
    direction,
    hosts: hosts.map((value) => printValue(value)),
    clients: clients.map((value) => printValue(value)),
    fences: fences.map((fence) => fence.name),
    otherwise: describeEnding(otherwise),
  }));
  return {
    gates,
    fences: ofKind(statements, 'fence').map((fence) => presentFence(fence, gates, sizes)),
    lists: ofKind(statements, 'list').map((list: ListStatement) => ({
      name: list.name,
      kind: list.listKind,
      title: list.title,
      ...(list.isProtected ? { isProtected: true } : {}),
      numEntries: sizes.get(list.name)?.numEntries,
    })),
    schedules: ofKind(statements, 'schedule').map((schedule) => ({
      name: schedule.name,
      sentence: describeStatement(schedule, sizes),
      ...(schedule.zone === undefined ? {} : { zone: schedule.zone }),
      weekly: schedule.weekly,
      exceptions: schedule.exceptions,
    })),
    diagnostics,
    warnings,
  };
}

function presentFence(
  fence: FenceStatement,
  gates: readonly { name: string; fences: readonly string[] }[],
  sizes: ListSizes,
): DraftFence {
  return {
    name: fence.name,
    title: fence.title,
    mode: fence.mode,
    gates: gates.filter((gate) => gate.fences.includes(fence.name)).map((gate) => gate.name),
    rules: fence.rules.map((rule) => ({
      name: rule.name,
      title: rule.title,
      state: rule.state,
      sentence: describeRule(rule, sizes),
      text: printRule(rule).replace(/^ {2}/gm, ''),
    })),
    otherwise: describeEnding(fence.otherwise),
  };
}

function ofKind<K extends Statement['kind']>(
  statements: readonly Statement[],
  kind: K,
): Extract<Statement, { kind: K }>[] {
  return statements.filter((statement): statement is Extract<Statement, { kind: K }> => statement.kind === kind);
}
