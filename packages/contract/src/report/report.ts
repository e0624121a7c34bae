/** The result of a replay as one page of HTML that needs no network, for those who do not use the console. */
import type { DescribedChange } from '@jadefence/core/edit';
import { OUTCOMES } from '@jadefence/core/language';
import {
  coarsenThrottle,
  countWouldStop,
  formatBytes,
  formatWait,
  type BreakdownSummary,
  type ThrottleSummary,
} from '@jadefence/core/replay';
import type { TrafficFinding } from '@jadefence/core/traffic';
import type { ServiceClient } from '../client.js';
import { ServiceError } from '../problems.js';
import type { ProtectedStop, ReplayResult } from '../replays.js';
import { REPORT_STYLE } from './style.js';

const SHOWN_VALUES = 12;
const SHOWN_CHANGES = 100;
const SHOWN_STEPS = 24;

export interface ReportData {
  readonly replay: ReplayResult;
  readonly protectedStops: readonly ProtectedStop[];
  /** Absent where they name values that are masked for the caller. */
  readonly findings?: readonly TrafficFinding[];
  /** What the revision that judged changed; absent where the draft or the first revision did. */
  readonly changes?: { readonly from: number; readonly to: number; readonly changes: readonly DescribedChange[] };
  /** The countries of the clients as an SVG element; empty where none is known. */
  readonly map: string;
  readonly writtenAtUnixMs: number;
}

/** Requests what a report is made of. */
export async function loadReport(client: ServiceClient, id: number): Promise<ReportData> {
  const replay = await client.replayResult(id);
  const { revision } = replay;
  const countries = replay.summary.breakdowns.find(({ by }) => by === 'country')?.values ?? [];
  const [{ drawMap }, protectedStops, findings, diff] = await Promise.all([
    import('./map.js'),
    client.protectedStops(id),
    client.trafficFindings(id).catch((error: unknown) => {
      if (error instanceof ServiceError && error.problem?.code === 'masked') return undefined;
      throw error;
    }),
    revision !== null && revision > 1 ? client.diffRevisions(revision - 1, revision) : undefined,
  ]);
  return {
    replay,
    protectedStops,
    ...(findings ? { findings } : {}),
    ...(diff && revision !== null ? { changes: { from: revision - 1, to: revision, changes: diff.changes } } : {}),
    map: drawMap(countries.flatMap(({ value, ...one }) => (/^[A-Z]{2}$/.test(value) ? [{ code: value, ...one }] : []))),
    writtenAtUnixMs: Date.now(),
  };
}

/** HTML with everything in it. */
export function renderReport(data: ReportData): string {
  const { replay } = data;
  const title = `Replay ${replay.id}: ${replay.name ?? replay.logName}`;
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${escape(title)}</title>
<style>${REPORT_STYLE}</style>
</head>
<body>
<header><p class="muted">Jade Fence, ${time(data.writtenAtUnixMs)} UTC</p><h1>${escape(title)}</h1>
<p>${escape(judgedBy(replay))}</p>${maskedNote(data)}</header>
${[
  protectedSection(data.protectedStops),
  summarySection(replay),
  timelineSection(replay),
  rulesSection(replay),
  throttlesSection(replay),
  data.map === '' ? '' : `<section><h2>Where requests come from</h2>${data.map}</section>`,
  breakdownSection('Countries', 'Country', replay, 'country'),
  breakdownSection('Clients', 'Client', replay, 'client'),
  changesSection(data.changes),
  findingsSection(data.findings),
  repeatSection(replay),
]
  .filter(Boolean)
  .join('\n')}
</body>
</html>
`;
}

/** What the reader does not see. */
function maskedNote({ replay: { masked }, findings }: ReportData): string {
  if (masked === undefined) return '';
  const left = findings ? '' : ' Findings of the log name such values and are left out.';
  return `<p>Masked in this report: ${code(masked)}. The rules saw true values.${left}</p>`;
}

function judgedBy({ revision, folder, gate, summary }: ReplayResult): string {
  const rules = revision !== null ? `revision ${revision}` : folder !== null ? `the folder ${folder}` : 'the draft';
  const span =
    summary.fromUnixMs === undefined ? '' : `, from ${time(summary.fromUnixMs)} to ${time(summary.toUnixMs!)} UTC`;
  return `${format(summary.requests)} requests judged by ${rules}${gate === null ? '' : ` at the gate ${gate}`}${span}. A replay judges the rules, not the device that enforces them.`;
}

function protectedSection(stops: readonly ProtectedStop[]): string {
  if (stops.length === 0) return '';
  return `<section class="alarm"><h2>Protected clients would be stopped</h2><ul>${stops
    .map(
      ({ list, requests, rows }) =>
        `<li>${format(requests)} requests of the list ${code(list)}, the first from ${code(rows[0]?.client ?? '')} by ${code(rows[0] ? deciderOf(rows[0]) : '')}.</li>`,
    )
    .join('')}</ul></section>`;
}

function deciderOf({ fence, rule, gate }: { fence?: string; rule?: string; gate?: string }): string {
  return rule === undefined ? `otherwise of ${fence ?? gate ?? 'no gate'}` : `${fence}/${rule}`;
}

function summarySection({ summary }: ReplayResult): string {
  const cells = summary.outcomes
    .map(
      ({ outcome, requests, share }) =>
        `<div class="figure"><b class="${outcome}">${outcome}</b><span>${format(requests)}</span><small>${percent(share)}</small></div>`,
    )
    .join('');
  const rejected =
    summary.numRejected === 0
      ? ''
      : `<p>${format(summary.numRejected)} lines were rejected: ${escape(summary.rejected.map(({ text, lines }) => `${format(lines)} ${text}`).join('; '))}.</p>`;
  return `<section><h2>Summary</h2><div class="figures">${cells}</div>${rejected}</section>`;
}

/** Bars of equal width, stopped requests at the ground. */
function timelineSection({ timeline: { steps, stepMs } }: ReplayResult): string {
  if (steps.length === 0) return '';
  const [width, height] = [960, 160];
  const sums = steps.map(({ outcomes }) => Object.values(outcomes).reduce((sum, count) => sum + count, 0));
  const most = Math.max(1, ...sums);
  const bar = width / steps.length;
  const shown = [...OUTCOMES].sort((a, b) => Number(a === 'allowed') - Number(b === 'allowed'));
  const bars = steps
    .map(({ outcomes }, at) => {
      let top = height;
      return shown
        .map((outcome) => {
          const count = outcomes[outcome] ?? 0;
          if (count === 0) return '';
          const size = (count / most) * height;
          top -= size;
          return `<rect class="${outcome}" x="${(at * bar).toFixed(2)}" y="${top.toFixed(2)}" width="${Math.max(0.5, bar - 1).toFixed(2)}" height="${size.toFixed(2)}"/>`;
        })
        .join('');
    })
    .join('');
  return `<section><h2>Requests over time</h2>
<svg viewBox="0 0 ${width} ${height}" role="img" aria-label="Requests over time by outcome">${bars}</svg>
<p class="muted ends"><span>${time(steps[0]!.fromUnixMs)}</span><span>each bar ${duration(stepMs)}, at most ${format(most)} requests</span><span>${time(steps.at(-1)!.fromUnixMs + stepMs)}</span></p></section>`;
}

function duration(ms: number): string {
  const minutes = ms / 60_000;
  return minutes >= 60
    ? `${+(minutes / 60).toFixed(1)} h`
    : minutes >= 1
      ? `${+minutes.toFixed(1)} min`
      : `${ms / 1000} s`;
}

function rulesSection({ summary: { fences } }: ReplayResult): string {
  const rows = fences.flatMap(({ fence, mode, rules }) =>
    rules.map((rule) => {
      const isTrial = mode === 'trial' || rule.state === 'trial';
      const { throttle } = rule;
      const effect = throttle
        ? describeDelays(throttle)
        : isTrial
          ? `would stop ${format(countWouldStop(rule))}`
          : `decided ${format(rule.decided)}`;
      const shown = rule.state === 'off' ? 'off' : `${isTrial ? 'trial: ' : ''}${effect}`;
      return [code(`${fence}/${rule.rule}`), escape(rule.sentence), format(rule.hits), escape(shown)];
    }),
  );
  const note = fences.some(({ rules }) => rules.some(({ throttle }) => throttle))
    ? '<p class="muted">Delayed requests stay where the log has them, though a client that waits would have sent later ones later.</p>'
    : '';
  return `<section><h2>Rules</h2>${table(['Rule', 'What it does', 'Hits', 'Effect'], rows, [2])}${note}</section>`;
}

function describeDelays({ delayed, totalWaitMs, p95WaitMs }: ThrottleSummary): string {
  if (delayed === 0) return 'delayed none';
  return `delayed ${format(delayed)}, ${formatWait(totalWaitMs)} in all, 95% at most ${formatWait(p95WaitMs)}`;
}

/** Bytes as the log has them, and throttled, one bar next to the other. */
function throttlesSection({ summary: { fences } }: ReplayResult): string {
  return fences
    .flatMap(({ fence, rules }) => rules.map(({ rule, throttle }) => ({ id: `${fence}/${rule}`, throttle })))
    .map(({ id, throttle }) => {
      if (!throttle || throttle.delayed === 0) return '';
      const { steps } = coarsenThrottle(throttle, SHOWN_STEPS);
      const most = Math.max(1, ...steps.flatMap(({ logged, shaped }) => [logged, shaped]));
      const bar = (bytes: number, name: string): string =>
        `<i${name} style="width:${((bytes / most) * 100).toFixed(1)}%"></i>`;
      const rows = steps.map(({ fromUnixMs, logged, shaped }) => [
        time(fromUnixMs),
        formatBytes(logged),
        formatBytes(shaped),
        `<span class="bar">${bar(logged, '')}${bar(shaped, ' class="shaped"')}</span>`,
      ]);
      const heads = ['From', 'As logged', 'Throttled', ''];
      return `<section><h2>Bytes by ${code(id)}</h2>${table(heads, rows, [1, 2])}</section>`;
    })
    .join('');
}

function breakdownSection(
  title: string,
  head: string,
  { summary: { breakdowns } }: ReplayResult,
  by: BreakdownSummary['by'],
): string {
  const found = breakdowns.find((one) => one.by === by);
  if (!found) return '';
  const values = [...found.values]
    .sort((a, b) => b.stopped - a.stopped || b.requests - a.requests)
    .slice(0, SHOWN_VALUES);
  const most = Math.max(1, ...values.map(({ requests }) => requests));
  const rows = values.map(({ value, requests, stopped }) => [
    code(value),
    format(requests),
    format(stopped),
    `<span class="bar"><i style="width:${((requests / most) * 100).toFixed(1)}%"></i><i class="stopped" style="width:${((stopped / most) * 100).toFixed(1)}%"></i></span>`,
  ]);
  return `<section><h2>${title}, most stopped first</h2>${table([head, 'Requests', 'Stopped', ''], rows, [1, 2])}</section>`;
}

function changesSection(changes: ReportData['changes']): string {
  if (!changes) return '';
  const { from, to, changes: all } = changes;
  const more = all.length > SHOWN_CHANGES ? `<li>and ${format(all.length - SHOWN_CHANGES)} more</li>` : '';
  return `<section><h2>What revision ${to} changed since revision ${from}</h2><ul>${all
    .slice(0, SHOWN_CHANGES)
    .map(
      ({ summary, details }) =>
        `<li>${escape(summary)}${details.map((line) => `<br><span class="muted">${escape(line)}</span>`).join('')}</li>`,
    )
    .join('')}${more}</ul></section>`;
}

function findingsSection(findings: readonly TrafficFinding[] = []): string {
  if (findings.length === 0) return '';
  return `<section><h2>What this log shows</h2><ul>${findings
    .map(
      ({ level, message, hint, evidence }) =>
        `<li><b class="${level}">${level}</b> ${escape(message)} <span class="muted">${escape([...evidence, hint].join(' '))}</span></li>`,
    )
    .join('')}</ul></section>`;
}

/** All that the same result depends on. */
function repeatSection({
  logName,
  logSha256,
  snapshot,
  countryTable,
  categoryFeeds,
  numCorrections,
  held,
}: ReplayResult): string {
  const rows = [
    ['Log', escape(logName), code(logSha256)],
    ['Rules', 'snapshot', code(snapshot)],
    ['Country table', escape(countryTable?.name ?? 'none'), code(countryTable?.sha256 ?? '')],
    ...categoryFeeds.map(({ name, sha256 }) => ['Category feed', escape(name), code(sha256)]),
    ['Corrections', format(numCorrections), ''],
    ['Held requests', escape(held), ''],
  ];
  return `<section><h2>How to repeat it</h2><p>The same log, rules and reference data give the same decisions. Identified by SHA-256:</p>${table(['', 'Name', 'SHA-256'], rows, [])}</section>`;
}

function table(heads: readonly string[], rows: readonly (readonly string[])[], figures: readonly number[]): string {
  const align = (at: number): string => (figures.includes(at) ? ' class="number"' : '');
  return `<table><thead><tr>${heads.map((head, at) => `<th${align(at)}>${escape(head)}</th>`).join('')}</tr></thead><tbody>${rows
    .map((row) => `<tr>${row.map((cell, at) => `<td${align(at)}>${cell}</td>`).join('')}</tr>`)
    .join('')}</tbody></table>`;
}

/** Texts come from logs and rules: none of them is markup. */
function escape(text: string): string {
  return text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');
}

function code(text: string): string {
  return text === '' ? '' : `<code>${escape(text)}</code>`;
}

function format(count: number): string {
  return count.toLocaleString('en');
}

function percent(share: number): string {
  return `${(share * 100).toFixed(1)}%`;
}

function time(atUnixMs: number): string {
  return new Date(atUnixMs).toISOString().slice(0, 19).replace('T', ' ');
}
