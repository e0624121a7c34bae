import type { ReplayPolicy, PartSelector, Revision, ServiceClient } from '@jadefence/contract';
import { listAll } from '@jadefence/contract';
import { STATEMENTS, type StatementKind } from '@jadefence/core/language';
import { InvalidArgumentError, type Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import {
  RECORD_FORMATS,
  parseWhole,
  TABLE_FORMATS,
  logMessage,
  printRecord,
  writeRows,
  type OneOutput,
  type Output,
  type Streams,
  type OutputOption,
} from '../output.js';
import { renderChanges } from '../render/changes.js';
import { countRequests, renderMeaning } from '../render/meaning.js';
import { connect } from '../service.js';
import { confirm } from '../prompts.js';
import { countOf, formatCount, formatMinute, formatTime } from '../render/text.js';

const SHOWN_WARNINGS = 5;
/** Printed by everything that publishes, until something enforces what is published. */
const NOTHING_ENFORCES = 'Nothing enforces this yet: it is what replays and tries judge by.';

export function parseAgainst(text: string): ReplayPolicy {
  if (text === 'draft') return text;
  if (!/^[1-9]\d{0,8}$/.test(text)) throw new InvalidArgumentError('Expected "draft" or the number of a revision.');
  return Number(text);
}

function collectOnly(text: string, others: readonly PartSelector[] = []): PartSelector[] {
  const [part, ...name] = text.split(' ');
  if (!STATEMENTS.includes(part as StatementKind) || name.length === 0)
    throw new InvalidArgumentError('Expected a kind and a name, such as "fence house".');
  return [...others, { part: part as StatementKind, name: name.join(' ') }];
}

export function addPublish(program: Command, streams: Streams): void {
  program
    .command('publish')
    .description('Publish the draft or parts of it')
    .requiredOption('--note <text>', 'what changes and why')
    .option('--only <part>', 'a statement to publish alone, such as "fence house" (repeatable)', collectOnly)
    .option('--force', 'publish although expectations are not met, or protected clients are stopped')
    .option('--yes', 'publish although the review has warnings, without confirmation')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      "\nExamples:\n  jadefence publish --note 'Resale is for the home markets'\n  jadefence publish --only 'fence house' --only 'list tout-networks' --note 'New tout networks'",
    )
    .action(
      async ({
        note,
        only,
        force,
        yes = false,
        output,
      }: OutputOption & { note: string; only?: PartSelector[]; force?: boolean; yes?: boolean }) => {
        const client = await connect(streams);
        await confirmWarnings(client, yes, streams);
        const { version } = await client.draftSources();
        const revision = await client.publish(
          { note, ...(only ? { only } : {}), ...(force ? { isForced: true } : {}) },
          version,
        );
        report(revision, `Published revision ${revision.number}.`, output, streams);
      },
    );
}

/** Shows the warnings of a review; on a terminal they have to be confirmed. */
async function confirmWarnings(client: ServiceClient, isYes: boolean, streams: Streams): Promise<void> {
  // What keeps the draft from being reviewed keeps it from being published, which reports it.
  const review = await client.findings().catch(() => undefined);
  const warnings = review?.findings.filter(({ level }) => level === 'warning') ?? [];
  if (warnings.length === 0) return;
  for (const { message, id } of warnings.slice(0, SHOWN_WARNINGS)) logMessage(streams, `Warning: ${message} [${id}]`);
  const more = warnings.length - SHOWN_WARNINGS;
  if (more > 0) logMessage(streams, `${countOf(more, 'more warning')}: see jadefence review.`);
  if (streams.stdin.isTTY) await confirm(`Publish with ${countOf(warnings.length, 'warning')}?`, isYes, streams);
}

function report(revision: Revision, text: string, output: OneOutput, streams: Streams): void {
  printRecord(streams, output, revision, text);
  logMessage(streams, NOTHING_ENFORCES);
}

export function addRevision(revision: Command, streams: Streams): void {
  revision
    .command('list')
    .description('List the revisions, latest first')
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence revision list')
    .action(async ({ output }: { output: Output }) => {
      writeRows(streams, output, await listAll((await connect(streams)).revisions), {
        columns: {
          revision: (item) => String(item.number),
          published: (item) => `${formatMinute(item.publishedAt)} by ${item.publishedBy ?? 'unknown'}`,
          note: (item) => `${item.note}${item.isForced ? ' (forced)' : ''}`,
          is: (item) => (item.isPublished ? 'published' : ''),
        },
        figures: ['revision'],
        empty: 'Nothing is published yet. Publish the draft with jadefence publish --note TEXT.',
      });
    });
  revision
    .command('show')
    .description('Show a revision and its changes')
    .argument('<number>', 'number of the revision', parseWhole)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence revision show 3')
    .action((number: number, { output }: OutputOption) => showRevision(number, output, streams));
  revision
    .command('diff')
    .description('Show differences between revisions or the draft')
    .argument('<from>', 'number of a revision, or draft', parseAgainst)
    .argument('<to>', 'number of a revision, or draft', parseAgainst)
    .option('--text', 'as text in the unified format')
    .option('--meaning', 'which requests change their outcome, proved without a log')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      '\nExamples:\n  jadefence revision diff 2 3\n  jadefence revision diff 3 draft --text\n  jadefence revision diff 2 3 --meaning',
    )
    .action(
      async (from: ReplayPolicy, to: ReplayPolicy, options: OutputOption & { text?: boolean; meaning?: boolean }) => {
        const { text, meaning, output } = options;
        const client = await connect(streams);
        if (meaning) {
          const changes = await countRequests(client, await client.meaningBetween(from, to), to);
          return printRecord(streams, output, changes, renderMeaning(changes, streams));
        }
        const diff = await client.diffRevisions(from, to);
        const nameOf = (replayPolicy: ReplayPolicy): string =>
          replayPolicy === 'draft' ? 'the draft' : `revision ${replayPolicy}`;
        const shown = text
          ? diff.text.trimEnd()
          : `From ${nameOf(from)} to ${nameOf(to)}:\n${renderChanges(diff.changes, streams)}`;
        printRecord(streams, output, diff, diff.changes.length === 0 ? 'Nothing differs.' : shown);
      },
    );
  revision
    .command('restore')
    .description('Publish an older revision as a new one')
    .argument('<number>', 'number of the revision', parseWhole)
    .option('--note <text>', 'why')
    .option(...RECORD_FORMATS)
    .addHelpText('after', "\nExamples:\n  jadefence revision restore 2 --note 'The sale is over'")
    .action(async (number: number, { note, output }: OutputOption & { note?: string }) => {
      const restored = await (await connect(streams)).restore(number, note);
      report(restored, `Published revision ${restored.number}, which is revision ${number} again.`, output, streams);
    });
}

async function showRevision(number: number, output: OneOutput, streams: Streams): Promise<void> {
  const client = await connect(streams);
  const revision = await client.revision(number);
  const { note, publishedBy, publishedAt, isPublished, isForced, restoredFrom } = revision;
  const head = [
    `revision ${number}${isPublished ? ', which is published' : ''}`,
    `${note} (${publishedBy ?? 'unknown'}, ${formatMinute(publishedAt)} UTC)`,
    ...(restoredFrom === null ? [] : [`It is revision ${restoredFrom} again.`]),
    ...(isForced ? ['It was forced: expectations were not met, or replays stop protected clients.'] : []),
  ];
  if (number === 1) return printRecord(streams, output, revision, head.join('\n'));
  const { changes } = await client.diffRevisions(number - 1, number);
  printRecord(
    streams,
    output,
    { ...revision, changes },
    [...head, `Against revision ${number - 1}:`, renderChanges(changes, streams) || 'Nothing differs.'].join('\n'),
  );
}

export function addAudit(audit: Command, streams: Streams): void {
  audit
    .command('list')
    .description('Show the audit trail (exit 1 if tampered with)')
    .option('--limit <number>', 'how many entries', parseWhole, 50)
    .option('--offset <number>', 'how many to pass over', parseWhole, 0)
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence audit list --limit 10\n  jadefence audit list --output ndjson')
    .action(async ({ limit, offset, output }: { limit: number; offset: number; output: Output }) => {
      const page = await (await connect(streams)).audit({ limit, offset });
      writeRows(streams, output, page.entries, {
        columns: {
          entry: (auditEntry) => String(auditEntry.id),
          at: (auditEntry) => formatTime(Date.parse(auditEntry.at)),
          who: (auditEntry) => auditEntry.user ?? 'the service',
          what: (auditEntry) => auditEntry.what,
          detail: (auditEntry) => shorten(JSON.stringify(auditEntry.detail)),
        },
        figures: ['entry'],
        empty: 'The audit trail has no entries there.',
      });
      if (!page.isIntact) throw new Failure(`The audit trail is not intact. ${page.problem ?? ''}`, EXIT.checkFailed);
    });
  audit
    .command('verify')
    .description('Verify the whole audit trail')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence audit verify')
    .action(async ({ output }: { output: OneOutput }) => {
      const check = await (await connect(streams)).verifyAudit();
      if (!check.isIntact && output !== 'json')
        throw new Failure(`The audit trail is not intact. ${check.problem ?? ''}`, EXIT.checkFailed);
      printRecord(
        streams,
        output,
        check,
        `Audit trail intact: ${`${formatCount(check.numEntries)} ${check.numEntries === 1 ? 'entry' : 'entries'}`}.`,
      );
      if (!check.isIntact) throw new Failure(`The audit trail is not intact. ${check.problem ?? ''}`, EXIT.checkFailed);
    });
}

const SHOWN_CHARACTERS = 90;

function shorten(text: string): string {
  return text.length <= SHOWN_CHARACTERS ? text : `${text.slice(0, SHOWN_CHARACTERS)}...`;
}
