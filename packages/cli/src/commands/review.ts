import { checkFences, checkTree } from '@jadefence/core/check';
import {
  FINDING_IDS,
  FINDING_LEVELS,
  ORDER_BOUNDS,
  reviewFences,
  type Finding,
  type FindingLevel,
  type Review,
  undecidedText,
} from '@jadefence/core/findings';
import { Option, type Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { editDraft } from '../edit-draft.js';
import { readFenceSources } from '../files/load-fences.js';
import { loadCategoryFeeds, loadCountryTable } from '../files/load-reference.js';
import { logMessage, parseWhole, writeJson, type Streams } from '../output.js';
import { toSarif } from '../render/sarif.js';
import { coloursFor, countOf } from '../render/text.js';
import { connect } from '../service.js';

interface ReviewOptions {
  readonly fences?: string;
  readonly countryTable?: string;
  readonly categoryFeed?: string[];
  readonly level: FindingLevel;
  readonly failOn: FindingLevel;
  readonly showIgnored?: boolean;
  readonly fix?: Finding['id'];
  readonly against?: number;
  readonly maxSteps?: number;
  readonly output: (typeof OUTPUTS)[number];
}

const OUTPUTS = ['table', 'json', 'sarif'] as const;

/** What is written: the review, and how long it took here. */
type TimedReview = Omit<Review, 'checked'> & { readonly checked: Review['checked'] & { readonly ms: number } };

export function addReview(program: Command, streams: Streams): void {
  program
    .command('review')
    .description('Review rules for mistakes (exit 1 if errors are found)')
    .argument('[path]', 'fence file or folder; the draft of the service if absent')
    .option('--fences <path>', 'the same as the argument')
    .option('--country-table <file>', 'country table for files: CSV, statistics of a registry, or MMDB')
    .option('--category-feed <file...>', 'category feeds for files, in order')
    .addOption(new Option('--level <level>', 'least level that is shown').choices(FINDING_LEVELS).default('note'))
    .addOption(new Option('--fail-on <level>', 'least level for exit 1').choices(FINDING_LEVELS).default('error'))
    .option('--show-ignored', 'show findings that comments above rules expect, too')
    .addOption(new Option('--fix <id>', 'apply the fixes of these findings to the draft').choices(FINDING_IDS))
    .option('--against <number>', 'only findings of the draft that this revision does not have', parseWhole)
    .option('--max-steps <number>', 'for files: how much is gone through before the rest is left undecided', parseWhole)
    .addOption(new Option('--output <format>', 'sarif: SARIF 2.1.0').choices(OUTPUTS).default('table'))
    .addHelpText(
      'after',
      `
Examples:
  jadefence review
  jadefence review ./fences --country-table countries.csv --output json
  jadefence review ./fences --output sarif > findings.sarif
  jadefence review --against 3
  jadefence review --fix never-true`,
    )
    .action((path: string | undefined, options: ReviewOptions) => review(path ?? options.fences, options, streams));
}

async function review(path: string | undefined, options: ReviewOptions, streams: Streams): Promise<void> {
  if (path !== undefined && options.against !== undefined)
    throw new Failure('--against compares the draft of a service with a revision; leave the path out.');
  if (path === undefined && options.maxSteps !== undefined)
    throw new Failure('--max-steps is for files; the service has JADEFENCE_REVIEW_STEPS.');
  const began = performance.now();
  const { checked, ...found } =
    path === undefined ? await reviewDraft(options, streams) : await reviewLocally(path, options, streams);
  const all: TimedReview = { ...found, checked: { ...checked, ms: Math.round(performance.now() - began) } };
  if (options.fix !== undefined) return fix(options.fix, path, all, options, streams);
  const shown = { ...all, findings: all.findings.filter(({ level }) => isAtLeast(level, options.level)) };
  if (options.output === 'sarif') writeJson(streams, toSarif(shown));
  else if (options.output === 'json')
    writeJson(streams, options.showIgnored ? shown : { ...shown, ignored: undefined });
  else writeFindings(shown, options, streams);
  const counts = FINDING_LEVELS.map((level) => countLevel(all.findings, level)).filter(Boolean);
  if (all.ignored.length > 0) counts.push(`${all.ignored.length} ignored`);
  if (checked.skipped) counts.push(`${countOf(checked.skipped, 'rule')} with errors not reviewed`);
  if (all.undecided.length > 0) counts.push(`${all.undecided.length} undecided`);
  logMessage(streams, counts.length === 0 ? 'No findings.' : `${counts.join(', ')}.`);
  if (all.findings.some(({ level }) => isAtLeast(level, options.failOn)))
    throw new Failure('The rules have probable mistakes.', EXIT.checkFailed);
}

function isAtLeast(level: FindingLevel, least: FindingLevel): boolean {
  return FINDING_LEVELS.indexOf(level) <= FINDING_LEVELS.indexOf(least);
}

function countLevel(findings: readonly Finding[], level: FindingLevel): string {
  const count = findings.filter((finding) => finding.level === level).length;
  return count === 0 ? '' : countOf(count, level);
}

/** @throws Failure where there is no such revision */
async function reviewDraft({ against }: ReviewOptions, streams: Streams): Promise<Review> {
  const client = await connect(streams);
  const review = await client.findings();
  if (against === undefined) return review;
  const before = new Set((await client.findingsOf(against)).findings.map(keyOf));
  return { ...review, findings: review.findings.filter((finding) => !before.has(keyOf(finding))) };
}

/** What is the same in another place. */
function keyOf({ id, gate = '', subject, message }: Finding): string {
  return [id, gate, subject, message].join('\n');
}

async function reviewLocally(path: string, options: ReviewOptions, streams: Streams): Promise<Review> {
  const categories = options.categoryFeed && (await loadCategoryFeeds(options.categoryFeed, streams));
  const { fenceFiles, namedFiles } = await readFenceSources(path);
  const outside = { categories: categories?.names };
  const countries = options.countryTable ? await loadCountryTable(options.countryTable, streams) : undefined;
  return reviewFences(checkFences(fenceFiles, namedFiles, outside), (files) => checkTree(files, namedFiles, outside), {
    nowUnixMs: Date.now(),
    referenceData: { countries, categories },
    ...(options.maxSteps === undefined ? {} : { bounds: { ...ORDER_BOUNDS, maxSteps: options.maxSteps } }),
  });
}

async function fix(
  id: Finding['id'],
  path: string | undefined,
  { findings }: TimedReview,
  { output }: ReviewOptions,
  streams: Streams,
): Promise<void> {
  if (output === 'sarif') throw new Failure('--fix writes what was changed as a table or as JSON.');
  if (path !== undefined)
    throw new Failure('Files are not changed by --fix.', EXIT.wrongInput, 'Import them into the draft, and fix that.');
  const edits = findings.filter((finding) => finding.id === id).flatMap((finding) => finding.fix ?? []);
  if (edits.length === 0) throw new Failure(`No finding "${id}" of the draft has a fix.`);
  await editDraft(edits, output, streams);
}

/** For each finding the place, the sentence, the evidence, a request that shows it, and the fix. */
function writeFindings({ findings, ignored, undecided }: TimedReview, options: ReviewOptions, streams: Streams): void {
  const colours = coloursFor(streams);
  const paint = { error: colours.red, warning: colours.yellow, note: colours.dim };
  const render = (finding: Finding, mark: string): string => {
    const { id, level, place, message, hint, evidence, example } = finding;
    return [
      `${place.file}:${place.line}  ${paint[level](level)}  ${message} [${id}]${mark}`,
      ...[...evidence, hint, ...(example ? [`For example: ${JSON.stringify(example)}`] : [])].map(
        (line) => `    ${line}`,
      ),
    ].join('\n');
  };
  const lines = [
    ...findings.map((finding) => render(finding, '')),
    ...(options.showIgnored ? ignored.map((finding) => render(finding, ' ignored')) : []),
    ...undecidedText(undecided),
  ];
  if (lines.length > 0) streams.stdout.write(`${lines.join('\n')}\n`);
}
