import { findUses, type Edit, type Position, type RuleSettings } from '@jadefence/core/edit';
import { suggestNearest } from '@jadefence/core/text';
import { InvalidArgumentError, type Command } from 'commander';
import { editDraft, textOrInput } from '../edit-draft.js';
import { EXIT, Failure } from '../cli-error.js';
import { RECORD_FORMATS, parseName, printRecord, type OneOutput, type Streams } from '../output.js';
import { countRequests, renderMeaning } from '../render/meaning.js';
import { connect } from '../service.js';
import { findFence } from './fence.js';

interface RuleId {
  readonly fence: string;
  readonly rule: string;
}

function parseRuleId(text: string): RuleId {
  const [fence, rule, ...rest] = text.split('/');
  if (!fence || !rule || rest.length > 0) throw new InvalidArgumentError('Expected a rule written fence/rule.');
  return { fence, rule };
}

/** The fence comes before the rule; a rule in its place is the likely mistake. */
function parseFenceName(text: string): string {
  if (/^\s*(#|rule\s)/.test(text))
    throw new InvalidArgumentError(
      'Found a rule, expected the name of the fence: the fence comes first, then the rule.',
    );
  return parseName(text);
}

export interface PositionOptions {
  readonly top?: boolean;
  readonly bottom?: boolean;
  readonly above?: string;
  readonly below?: string;
}

/** @throws Failure if two positions are given, or none and there is no default */
export function positionOf(options: PositionOptions, fallback?: 'bottom'): Position {
  const settings: Position[] = [
    ...(options.top ? [{ at: 'top' } as const] : []),
    ...(options.bottom ? [{ at: 'bottom' } as const] : []),
    ...(options.above === undefined ? [] : [{ at: 'above', name: options.above } as const]),
    ...(options.below === undefined ? [] : [{ at: 'below', name: options.below } as const]),
  ];
  if (settings.length === 0 && fallback) return { at: fallback };
  if (settings.length !== 1) throw new Failure('Expected one of --top, --bottom, --above NAME, --below NAME.');
  return settings[0]!;
}

/** The options for the position of a part. */
export function withPosition(command: Command): Command {
  return command
    .option('--top', 'before all others')
    .option('--bottom', 'after all others')
    .option('--above <name>', 'right before this one')
    .option('--below <name>', 'right after this one');
}

type Options = PositionOptions & { readonly output: OneOutput };

const RULE_ARGUMENT = '<fence/rule>';

export function addRule(rule: Command, streams: Streams): void {
  rule
    .command('show')
    .description('Show a rule as a sentence and as text')
    .argument(RULE_ARGUMENT, 'the rule', parseRuleId)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence rule show ticket-desk/resale')
    .action((ruleId: RuleId, { output }: Options) => showRule(ruleId, output, streams));
  withPosition(rule.command('add'))
    .description('Add a rule to a fence of the draft')
    .argument('<fence>', 'name of the fence', parseFenceName)
    .argument('<text>', 'the rule as fence text, or - for standard input')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      "\nExamples:\n  jadefence rule add house 'rule late block when path under /desk during nights' --below staff",
    )
    .action(async (fence: string, text: string, options: Options) =>
      editDraft(
        [{ kind: 'add-rule', fence, text: await textOrInput(text, streams), position: positionOf(options, 'bottom') }],
        options.output,
        streams,
      ),
    );
  rule
    .command('replace')
    .description('Replace a rule of the draft')
    .argument(RULE_ARGUMENT, 'the rule', parseRuleId)
    .argument('<text>', 'the rule as fence text, or - for standard input')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      "\nExamples:\n  jadefence rule replace house/late 'rule late trial block when path under /desk'",
    )
    .action(async (ruleId: RuleId, text: string, { output }: Options) =>
      editDraft([{ kind: 'replace-rule', ...ruleId, text: await textOrInput(text, streams) }], output, streams),
    );
  addMove(rule, streams);
  addPlace(rule, streams);
  rule
    .command('clone')
    .description('Clone a rule below itself, switched off')
    .argument(RULE_ARGUMENT, 'the rule', parseRuleId)
    .option('--name <name>', 'name of the clone')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence rule clone house/touts --name touts-by-country')
    .action((ruleId: RuleId, { name, output }: Options & { name?: string }) =>
      editDraft([{ kind: 'clone-rule', ...ruleId, ...(name === undefined ? {} : { name }) }], output, streams),
    );
  rule
    .command('rename')
    .description('Rename a rule and its references')
    .argument(RULE_ARGUMENT, 'the rule', parseRuleId)
    .argument('<name>', 'its new name')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence rule rename house/touts tout-networks')
    .action((ruleId: RuleId, to: string, { output }: Options) =>
      editDraft([{ kind: 'rename-rule', ...ruleId, to }], output, streams),
    );
  rule
    .command('remove')
    .description('Remove a rule from the draft')
    .argument(RULE_ARGUMENT, 'the rule', parseRuleId)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence rule remove house/late')
    .action((ruleId: RuleId, { output }: Options) => editDraft([{ kind: 'remove-rule', ...ruleId }], output, streams));
  addRuleStates(rule, streams);
  addRuleNotes(rule, streams);
}

function addMove(rule: Command, streams: Streams): void {
  withPosition(rule.command('move'))
    .description('Move a rule within its fence, or to another fence')
    .argument(RULE_ARGUMENT, 'the rule', parseRuleId)
    .option('--to-fence <fence>', 'another fence; unless a position is given, its last rule', parseFenceName)
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      '\nExamples:\n  jadefence rule move house/late --above touts\n  jadefence rule move house/late --to-fence ticket-desk --top',
    )
    .action((ruleId: RuleId, { toFence, ...options }: Options & { toFence?: string }) => {
      const position = positionOf(options, toFence === undefined ? undefined : 'bottom');
      return editDraft(
        [{ kind: 'move-rule', ...ruleId, ...(toFence === undefined ? {} : { toFence }), position }],
        options.output,
        streams,
      );
    });
}

function addPlace(rule: Command, streams: Streams): void {
  rule
    .command('place')
    .description('Show where a rule would have to be, and move it')
    .argument(RULE_ARGUMENT, 'the rule', parseRuleId)
    .option('--yes', 'move it there')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence rule place house/touts\n  jadefence rule place house/touts --yes')
    .action((ruleId: RuleId, options: Options & { yes?: boolean }) => placeRule(ruleId, options, streams));
}

async function placeRule(
  { fence, rule }: RuleId,
  { output, yes = false }: Options & { yes?: boolean },
  streams: Streams,
): Promise<void> {
  const client = await connect(streams);
  const placement = await client.placeRule(fence, rule);
  const { takenBy, above, edit, changes } = placement;
  if (yes && edit) return editDraft([edit as Edit], output, streams);
  const name = `${fence}/${rule}`;
  if (!edit || !changes)
    return printRecord(
      streams,
      output,
      placement,
      takenBy.length === 0
        ? `${name} is reached by every request that matches it; it can stay where it is.`
        : `${takenBy.join(', ')} of other fences decide before ${name}; moving it within its fence changes nothing.`,
    );
  const counted = await countRequests(client, changes);
  const lines = [
    `${takenBy.join(', ')} ${takenBy.length === 1 ? 'decides' : 'decide'} before ${name}. It would have to be above ${fence}/${above}.`,
    renderMeaning(counted, streams),
    ...(yes ? [] : ['Move it there with --yes.']),
  ];
  printRecord(streams, output, { ...placement, changes: counted }, lines.join('\n'));
}

function addRuleStates(rule: Command, streams: Streams): void {
  const descriptions = {
    on: 'Turn a rule on',
    trial: 'Put a rule on trial, so that it counts and does not act',
    off: 'Turn a rule off',
  };
  for (const state of ['on', 'trial', 'off'] as const) {
    rule
      .command(state)
      .description(descriptions[state])
      .argument('<fence/rule>', 'the rule', parseRuleId)
      .option(...RECORD_FORMATS)
      .addHelpText('after', `\nExamples:\n  jadefence rule ${state} ticket-desk/resale`)
      .action((ruleId: RuleId, { output }: Options) =>
        editDraft([{ kind: 'set-rule', ...ruleId, state }], output, streams),
      );
  }
}

function addRuleNotes(rule: Command, streams: Streams): void {
  const orNull = (text: string | undefined): string | null | undefined => (text === 'none' ? null : text);
  rule
    .command('note')
    .description('Set end date, owner, reason or title of a rule')
    .argument('<fence/rule>', 'the rule', parseRuleId)
    .option('--until <date>', 'last day, such as 2026-12-24, or end, such as 2026-12-24T18:00:00Z')
    .option('--owner <text>', 'whose rule it is')
    .option('--reason <text>', 'why it is there')
    .option('--title <text>', 'title')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      "\nExamples:\n  jadefence rule note house/touts --until 2026-12-31 --owner kari --reason 'sale of the winter tickets'",
    )
    .action((ruleId: RuleId, { until, owner, reason, title, output }: Options & Record<string, string | undefined>) => {
      const settings: RuleSettings = {
        ...(until === undefined ? {} : { until: orNull(until) }),
        ...(owner === undefined ? {} : { owner: orNull(owner) }),
        ...(reason === undefined ? {} : { reason: orNull(reason) }),
        ...(title === undefined ? {} : { title: orNull(title) }),
      };
      if (Object.keys(settings).length === 0) throw new Failure('Expected --until, --owner, --reason or --title.');
      return editDraft([{ kind: 'set-rule', ...ruleId, ...settings }], output as OneOutput, streams);
    });
}

async function showRule({ fence, rule }: RuleId, output: OneOutput, streams: Streams): Promise<void> {
  const client = await connect(streams);
  const { rules } = findFence(await client.draft(), fence);
  const item = rules.find((draftRule) => draftRule.name === rule);
  if (!item)
    throw new Failure(
      `Fence ${fence} has no rule "${rule}".`,
      EXIT.wrongInput,
      suggestNearest(
        rule,
        rules.map((draftRule) => draftRule.name),
      ) ?? `jadefence fence show ${fence} lists them.`,
    );
  const uses = findUses((await client.draftSources()).parts, 'rule', `${fence}/${rule}`);
  const lines = [item.sentence, '', item.text, ...(uses.length > 0 ? ['', `Mentioned by ${uses.join(', ')}.`] : [])];
  printRecord(streams, output, { fence, ...item, usedBy: uses }, lines.join('\n'));
}
