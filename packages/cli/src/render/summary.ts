import {
  coarsenThrottle,
  countWouldStop,
  formatBytes,
  formatWait,
  type BreakdownName,
  type FenceSummary,
  type RuleSummary,
  type Summary,
  type ThrottleSummary,
} from '@jadefence/core/replay';
import type { Streams } from '../output.js';
import {
  type Colours,
  coloursFor,
  countOf,
  formatCount,
  formatShare,
  formatTime,
  printTable,
  shorten,
  widthOf,
} from './text.js';

/**
 * The result of a log, for people.
 * @param by what requests are counted by, in addition to their rules
 */
export function renderSummary(
  summary: Summary,
  title: string,
  streams: Streams,
  by: readonly BreakdownName[] = [],
): string {
  const colours = coloursFor(streams);
  const { hostNotice } = summary;
  const parts = [
    ...(hostNotice === undefined ? [] : [`${hostNotice}\nOptions: --host HOST, --gate NAME.`]),
    `${colours.bold(title)}\n${countOf(summary.requests, 'request')} from ${formatTime(summary.fromUnixMs)} to ${formatTime(summary.toUnixMs)} UTC`,
    renderOutcomes(summary, colours),
    ...renderUncovered(summary),
    ...renderIgnoredHeaders(summary),
    ...summary.fences.filter((fence) => isRequested(fence, summary)).map((fence) => renderFence(fence, streams)),
    ...renderThrottles(summary),
    ...renderUnreached(summary),
    ...by.map((name) => renderBreakdown(name, summary)),
    ...renderRejected(summary, widthOf(streams)),
  ];
  return `${parts.join('\n\n')}\n`;
}

/** Whether any request reached a gate of the fence; a fence at no gate is shown, since that is worth knowing. */
function isRequested({ gates }: FenceSummary, summary: Summary): boolean {
  return gates.length === 0 || summary.gates.some(({ gate, requests }) => requests > 0 && gates.includes(gate));
}

function renderUnreached(summary: Summary): string[] {
  const gates = summary.gates.filter(({ requests }) => requests === 0).map(({ gate }) => gate);
  const fences = summary.fences.filter((fence) => !isRequested(fence, summary)).map(({ fence }) => fence);
  if (gates.length === 0) return [];
  const unreached = fences.length > 0 ? `, so ${fences.join(', ')} had nothing to decide` : '';
  return [`No request reached ${gates.join(', ')}${unreached}.`];
}

function renderIgnoredHeaders({ gates }: Summary): string[] {
  return gates
    .filter(({ ignoredHeaders }) => ignoredHeaders > 0)
    .map(
      ({ gate, ignoredHeaders }) =>
        `Gate ${gate} ignored the client header of ${countOf(ignoredHeaders, 'request')}, whose senders it does not trust.`,
    );
}

const SHOWN_VALUES = 20;

function renderBreakdown(name: BreakdownName, { breakdowns, requests }: Summary): string {
  const breakdown = breakdowns.find(({ by }) => by === name);
  if (!breakdown)
    return `Nothing is known of the ${TITLES[name] ?? name} of requests${name in NEEDS ? `, since there is no ${NEEDS[name]}` : ''}.`;
  const shown = breakdown.by === 'hour' ? breakdown.values : breakdown.values.slice(0, SHOWN_VALUES);
  const rows = shown.map((value) => [
    value.value,
    formatCount(value.requests),
    formatShare(value.requests / requests),
    formatCount(value.stopped),
    formatShare(value.stopped / value.requests),
  ]);
  const table = printTable([TITLES[name] ?? name, 'requests', 'share', 'stopped', 'of them'], rows, [1, 2, 3, 4]);
  const others = breakdown.numValues - shown.length;
  return others > 0 ? `${table}\n${formatCount(others)} others` : table;
}

/** If the name of the breakdown is not enough. */
const TITLES: Partial<Record<BreakdownName, string>> = { hour: 'hour (UTC)', status: 'recorded status' };
const NEEDS: Partial<Record<BreakdownName, string>> = { country: 'country table', category: 'category feed' };

function renderOutcomes({ outcomes }: Summary, colours: Colours): string {
  const colourOf = {
    allowed: colours.green,
    blocked: colours.red,
    limited: colours.red,
    redirected: colours.red,
    held: colours.yellow,
    uncovered: colours.yellow,
  };
  const rows = outcomes.map(({ outcome, requests, share }) => [
    colourOf[outcome](outcome),
    formatCount(requests),
    formatShare(share),
  ]);
  return printTable(['outcome', 'requests', 'share'], rows, [1, 2]);
}

function renderUncovered({ uncoveredHosts, otherUncovered }: Summary): string[] {
  if (uncoveredHosts.length === 0) return [];
  const shown = uncoveredHosts.map(({ host, requests }) => `${host} (${formatCount(requests)})`).join(', ');
  if (!otherUncovered) return [`No gate covers: ${shown}`];
  const { hosts, requests, isExact } = otherUncovered;
  const others = `${isExact ? '' : 'at least '}${countOf(hosts, 'more host')} (${formatCount(requests)})`;
  return [`No gate covers: ${shown} and ${others}`];
}

function renderFence(fence: FenceSummary, streams: Streams): string {
  const colours = coloursFor(streams);
  const place = fence.gates.length > 0 ? `at ${fence.gates.join(', ')}` : 'at no gate, so it is never evaluated';
  const title = `${colours.bold(`fence ${fence.fence}`)}${fence.mode === 'trial' ? ' in trial' : ''}${fence.title ? ` "${fence.title}"` : ''} ${place}`;
  if (fence.rules.length === 0) return `${title}\n(no rules)`;
  const cells = fence.rules.map((rule) => ruleCells(rule, fence));
  const hasNotes = cells.some(({ note }) => note !== '');
  const head = ['rule', 'hits', 'decided', 'last hit', ...(hasNotes ? ['note'] : []), 'what it does'];
  const rows = cells.map(({ figures, note, sentence }) => [...figures, ...(hasNotes ? [note] : []), sentence]);
  const takenWidth = head
    .slice(0, -1)
    .reduce((sum, title, column) => sum + Math.max(title.length, ...rows.map((row) => row[column]!.length)) + 2, 0);
  const table = printTable(head, rows, [1, 2], Math.max(MIN_SENTENCE_WIDTH, widthOf(streams) - takenWidth));
  const otherwise = fence.otherwise > 0 ? `\notherwise decided ${formatCount(fence.otherwise)}` : '';
  return `${title}\n${table}${otherwise}`;
}

/** How many requests would have waited, and how long. */
function describeThrottle({ delayed, totalWaitMs, p95WaitMs }: ThrottleSummary): string {
  if (delayed === 0) return 'delayed none';
  return `delayed ${formatCount(delayed)}, ${formatWait(totalWaitMs)} in all, 95% at most ${formatWait(p95WaitMs)}`;
}

const SHOWN_STEPS = 24;

/** The bytes of each hour, or of longer steps where there are many. */
function renderThrottles({ fences }: Summary): string[] {
  return fences.flatMap(({ fence, rules }) =>
    rules.flatMap(({ rule, throttle }) => {
      if (!throttle || throttle.delayed === 0) return [];
      const { stepMs, steps } = coarsenThrottle(throttle, SHOWN_STEPS);
      const rows = steps.map(({ fromUnixMs, logged, shaped }) => [
        formatTime(fromUnixMs),
        formatBytes(logged),
        formatBytes(shaped),
      ]);
      if (throttle.laterBytes > 0) rows.push(['over a week later', '', formatBytes(throttle.laterBytes)]);
      const head = [`${stepMs / HOUR_MS} h from (UTC)`, 'as logged', 'throttled'];
      return [
        `Bytes by ${fence}/${rule}; requests stay where the log has them, though a client that waits sends later\n${printTable(head, rows, [1, 2])}`,
      ];
    }),
  );
}

const HOUR_MS = 3_600_000;
const MIN_SENTENCE_WIDTH = 30;

function ruleCells(rule: RuleSummary, fence: FenceSummary): { figures: string[]; note: string; sentence: string } {
  const isTrial = fence.mode === 'trial' || rule.state === 'trial';
  const notes = [
    ...(isTrial ? describeWould(rule) : []),
    ...(rule.blind > 0
      ? [
          `blind on ${formatCount(rule.blind)}${rule.blindFields?.length ? ` (${rule.blindFields.join(', ')} unknown)` : ''}`,
        ]
      : []),
  ];
  if (rule.throttle) notes.push(describeThrottle(rule.throttle));
  const figures = [
    rule.rule,
    rule.state === 'off' ? 'off' : formatCount(rule.hits),
    formatCount(rule.decided),
    formatTime(rule.lastHitUnixMs),
  ];
  return { figures, note: notes.join(', '), sentence: rule.sentence };
}

/** What a rule in trial would have done. */
function describeWould(rule: RuleSummary): string[] {
  const stops = countWouldStop(rule);
  const allows = rule.would.allowed ?? 0;
  return [
    ...(rule.canStop ? [`would stop ${formatCount(stops)}`] : []),
    ...(allows > 0 ? [`would allow ${formatCount(allows)}`] : []),
  ];
}

export function renderRejected(
  { numRejected, rejected, firstRejected }: Pick<Summary, 'numRejected' | 'rejected' | 'firstRejected'>,
  width: number,
): string[] {
  if (numRejected === 0) return [];
  const reasons = rejected.map(({ text, lines }) => `  ${formatCount(lines)}: ${text}`);
  const first = firstRejected.map(({ file, line, start }) =>
    shorten(`  ${file === undefined ? '' : `${file}, `}line ${line}: ${printable(start)}`, width),
  );
  return [[`${countOf(numRejected, 'line')} rejected`, ...reasons, 'the first of them', ...first].join('\n')];
}

/** Control characters would act on the terminal. */
function printable(text: string): string {
  return text.replace(
    /[\u0000-\u001f\u007f-\u009f]/g,
    (character) => `\\x${character.charCodeAt(0).toString(16).padStart(2, '0')}`,
  );
}
