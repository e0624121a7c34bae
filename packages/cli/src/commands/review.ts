import { FINDING_LEVELS, reviewRules, type Finding } from '@jadefence/core/findings';
import type { Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { loadRulebook } from '../files/load-fences.js';
import { RECORD_FORMATS, logMessage, writeJson, type OneOutput, type Streams } from '../output.js';
import { coloursFor } from '../render/text.js';
import { connect } from '../service.js';

interface ReviewOptions {
  readonly fences?: string;
  readonly output: OneOutput;
}

export function addReview(program: Command, streams: Streams): void {
  program
    .command('review')
    .description('Review rules for probable mistakes (exit 1 if any)')
    .option('--fences <path>', 'fence file or folder; the draft of the service if absent')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      `
Examples:
  jadefence review
  jadefence review --fences ./fences --output json`,
    )
    .action((options: ReviewOptions) => review(options, streams));
}

async function review({ fences, output }: ReviewOptions, streams: Streams): Promise<void> {
  const findings =
    fences === undefined ? await (await connect(streams)).findings() : await reviewLocally(fences, streams);
  if (output === 'json') writeJson(streams, findings);
  else if (findings.length > 0) streams.stdout.write(`${renderFindings(findings, streams)}\n`);
  const counts = FINDING_LEVELS.map((level) => countOf(findings, level)).filter(Boolean);
  logMessage(streams, counts.length === 0 ? 'No findings.' : `${counts.join(', ')}.`);
  if (findings.some(({ level }) => level !== 'note'))
    throw new Failure('The rules have probable mistakes.', EXIT.checkFailed);
}

async function reviewLocally(path: string, streams: Streams): Promise<Finding[]> {
  const { rulebook, files } = await loadRulebook(path, streams);
  return reviewRules({ statements: files.flatMap(({ statements }) => statements), rulebook, nowUnixMs: Date.now() });
}

function countOf(findings: readonly Finding[], level: Finding['level']): string {
  const count = findings.filter((finding) => finding.level === level).length;
  return count === 0 ? '' : `${count} ${level}${count === 1 ? '' : 's'}`;
}

/** For each finding the place, the sentence, the evidence and the fix. */
function renderFindings(findings: readonly Finding[], streams: Streams): string {
  const colours = coloursFor(streams);
  const paint = { error: colours.red, warning: colours.yellow, note: colours.dim };
  return findings
    .map(({ id, level, place, message, hint, evidence }) =>
      [
        `${place.file}:${place.line}  ${paint[level](level)}  ${message} [${id}]`,
        ...[...evidence, hint].map((line) => `    ${line}`),
      ].join('\n'),
    )
    .join('\n');
}
