import type { RuleUse } from '@jadefence/contract';
import type { Command } from 'commander';
import { parseWhole, printRecord, RECORD_FORMATS, type OneOutput, type Streams } from '../output.js';
import { formatCount, formatTime, printTable } from '../render/text.js';
import { connect } from '../service.js';

const STEPS = ' ▁▂▃▄▅▆▇█';

export function addRuleUse(rule: Command, streams: Streams): void {
  rule
    .command('use')
    .description('Show what rules did in replays, and their cost')
    .option('--days <number>', 'replays of the last so many days', parseWhole, 30)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence rule use\n  jadefence rule use --days 7 --output json')
    .action(async ({ days, output }: { days: number; output: OneOutput }) => {
      const use = await (await connect(streams)).ruleUse({ days });
      printRecord(streams, output, use, renderUse(use));
    });
}

export function renderUse({ replays, rules, repeats }: RuleUse): string {
  const table = printTable(
    ['rule', 'hits', '', 'first', 'last', 'decided', 'evaluated', 'expectations'],
    rules.map((one) => [
      one.rule,
      formatCount(one.hits.reduce((sum, hits) => sum + hits, 0)),
      sparkline(one.hits),
      one.firstHitUnixMs === undefined ? 'never' : formatTime(one.firstHitUnixMs),
      one.lastHitUnixMs === undefined ? '' : formatTime(one.lastHitUnixMs),
      formatCount(one.decided),
      formatCount(one.evaluations),
      formatCount(one.expectations),
    ]),
    [1, 5, 6, 7],
  );
  const uncovered = rules.filter(
    ({ canDecide, expectations, decided }) => canDecide && expectations === 0 && decided === 0,
  );
  return [
    replays.length === 0
      ? 'No log was replayed in this time.'
      : `Over the latest replays of ${replays.map(({ id, logName }) => `${logName} (${id})`).join(', ')}.`,
    table,
    ...(uncovered.length > 0
      ? [`No expectation and no replayed request decided: ${uncovered.map(({ rule }) => rule).join(', ')}.`]
      : []),
    ...rules.flatMap(({ rule, advice }) => (advice === undefined ? [] : [`${rule} costs much. ${advice}`])),
    ...(repeats.length > 0
      ? [`Expectations that repeat others:\n${repeats.map(({ text }) => `  ${text}`).join('\n')}`]
      : []),
  ].join('\n\n');
}

/** A step for each replay. */
function sparkline(hits: readonly number[]): string {
  const most = Math.max(1, ...hits);
  return hits.map((count) => STEPS[count === 0 ? 0 : Math.max(1, Math.round((count / most) * 8))]).join('');
}
