/** Trees to canonical text; each construct's printer is next to its parser. */
import { printApplication } from './application-text.js';
import { printExpectation } from './expectation-text.js';
import { printFence } from './fence-text.js';
import { printGate } from './gate-text.js';
import { printComments } from './layout.js';
import { printList, printPage } from './list-text.js';
import { printSchedule } from './schedule-text.js';
import type { FenceFile, Statement } from './tree.js';

/** Statements without a blank line between two of the same kind. */
const RUNS: readonly Statement['kind'][] = ['list', 'page', 'expect'];

/** The canonical text of a file. `parseFences(printFences(x))` is `x`, and printing twice changes nothing. */
export function printFences(file: FenceFile): string {
  const blocks = file.statements.map(printStatement);
  if (file.comments.length > 0) blocks.push(printComments(file.comments, '').trimEnd());
  return (
    blocks.reduce((text, block, index) => {
      const statement = file.statements[index];
      const isRun =
        index > 0 &&
        statement !== undefined &&
        RUNS.includes(statement.kind) &&
        file.statements[index - 1]!.kind === statement.kind &&
        statement.comments.length === 0;
      return `${text}${index === 0 ? '' : isRun ? '\n' : '\n\n'}${block}`;
    }, '') + (blocks.length > 0 ? '\n' : '')
  );
}

export function printStatement(statement: Statement): string {
  return printComments(statement.comments, '') + printBody(statement);
}

function printBody(statement: Statement): string {
  switch (statement.kind) {
    case 'zone':
      return `zone ${statement.zone}`;
    case 'list':
      return printList(statement);
    case 'schedule':
      return printSchedule(statement);
    case 'page':
      return printPage(statement);
    case 'application':
      return printApplication(statement);
    case 'gate':
      return printGate(statement);
    case 'fence':
      return printFence(statement);
    case 'expect':
      return printExpectation(statement);
  }
}
