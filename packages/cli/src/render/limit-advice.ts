import type { LimitAdvice } from '@jadefence/core/advice';
import type { Streams } from '../output.js';
import { coloursFor, countOf, formatCount, formatShare, formatTime, printTable } from './text.js';

const BAR = 30;
const STEPS = ' ▁▂▃▄▅▆▇█';
const SHOWN_KEYS = 10;

/** Advice about a limit as people read it: what is unknown first. */
export function renderLimitAdvice(advice: LimitAdvice, streams: Streams): string {
  const colours = coloursFor(streams);
  const { keys, requests, unknown, peak, suggestion, spared } = advice;
  const parts: string[] = [];
  if (unknown > 0)
    parts.push(
      colours.yellow(
        `Of ${countOf(unknown, 'request')} (${formatShare(unknown / (unknown + requests))}) it is not known whether they count: the condition or a key is unknown.`,
      ),
    );
  parts.push(`${countOf(requests, 'request')} counted under ${countOf(keys, 'key')}.`);
  if (keys === 0) return [...parts, `Suggested: ${suggestion.count}, since ${suggestion.reason}.`].join('\n');
  parts.push(
    `The most within the window: half of the keys ${peak.p50} or fewer, 90% ${peak.p90}, 99% ${peak.p99}, 99.9% ${peak.p999}, the highest ${formatCount(peak.max)}.`,
  );
  if (advice.isOneWindow)
    parts.push(
      colours.yellow(
        'All of them lie in one window: a longer log shows how high keys get, or a shorter window is looked at.',
      ),
    );
  if (spared)
    parts.push(
      spared.keys === 0
        ? 'No spared client was counted.'
        : `Spared clients: ${countOf(spared.keys, 'key')}, the highest ${formatCount(spared.peak)}.`,
    );
  parts.push(colours.bold(`Suggested: ${formatCount(suggestion.count)}, ${suggestion.reason}.`));
  return [parts.join('\n'), renderHistogram(advice), renderCounts(advice), renderHighest(advice)].join('\n\n');
}

function renderHistogram({ histogram }: LimitAdvice): string {
  const most = Math.max(...histogram.map(({ keys }) => keys));
  // Few keys are visible, too, where others are a thousand times as many.
  const length = (keys: number): number =>
    keys === 0 ? 0 : Math.max(1, Math.round((Math.log1p(keys) / Math.log1p(most)) * BAR));
  return printTable(
    ['highest', 'keys', '(logarithmic)'],
    histogram.map(({ from, to, keys }) => [
      from === to ? String(from) : `${formatCount(from)} to ${formatCount(to)}`,
      formatCount(keys),
      '█'.repeat(length(keys)),
    ]),
    [0, 1],
  );
}

function renderCounts({ thresholds, suggestion, keys, requests }: LimitAdvice): string {
  return printTable(
    ['limit', 'stops keys', '', 'stops requests', '', ''],
    thresholds.map((threshold) => [
      formatCount(threshold.count),
      formatCount(threshold.keys),
      formatShare(threshold.keys / keys),
      formatCount(threshold.requests),
      formatShare(threshold.requests / requests),
      threshold.count === suggestion.count ? 'suggested' : '',
    ]),
    [0, 1, 2, 3, 4],
  );
}

function renderHighest({ highest, times }: LimitAdvice): string {
  const title = times ? `time from ${formatTime(times.fromUnixMs)}` : 'time';
  return printTable(
    ['gate', 'key', 'highest', 'at', 'requests', title],
    highest
      .slice(0, SHOWN_KEYS)
      .map(({ gate, values, peak, peakAtUnixMs, requests, times: counts }) => [
        gate === '' ? 'all' : gate,
        values.length === 0 ? 'everyone' : values.map((value) => (value === null ? 'none' : String(value))).join(', '),
        formatCount(peak),
        formatTime(peakAtUnixMs),
        formatCount(requests),
        renderTimes(counts),
      ]),
    [2, 4],
  );
}

function renderTimes(counts: readonly number[]): string {
  const most = Math.max(1, ...counts);
  return counts.map((count) => STEPS[count === 0 ? 0 : Math.max(1, Math.round((count / most) * 8))]).join('');
}
