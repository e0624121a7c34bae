import type { LimitAdvice } from '@jadefence/core/advice';
import { parseRuleText, printRuleText } from '@jadefence/core/edit';
import { useState } from 'react';
import { useEdit } from '../../api/edit.js';
import { Button } from '../../components/button.js';
import { Card, Notice } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { countOf, formatCount, formatShare, formatTime } from '../../format.js';
import { countAt, nearestThreshold, placeOfCount } from './thresholds.js';

interface Limit {
  readonly fence: string;
  readonly rule: string;
  readonly text: string;
}

/** The peaks of the keys, a threshold that is moved over them, and whom it stops. */
export function AdviceView({ advice, limit }: { advice: LimitAdvice; limit: Limit | undefined }) {
  const { keys, requests, unknown, suggestion, spared } = advice;
  const current = limit && countIn(limit.text);
  const [count, setCount] = useState(suggestion.count);
  const threshold = nearestThreshold(advice.thresholds, count);
  return (
    <>
      {unknown > 0 && (
        <Notice>
          Of {countOf(unknown, 'request')} ({formatShare(unknown / (unknown + requests))}) it is not known whether they
          count: the condition or a key is unknown.
        </Notice>
      )}
      {advice.isOneWindow && (
        <Notice>
          All counted requests lie in one window: a longer log shows how high keys get, or a shorter window is looked
          at.
        </Notice>
      )}
      {keys === 0 ? (
        <Notice>No request was counted, so any limit stops none.</Notice>
      ) : (
        <Card
          title={`${countOf(requests, 'request')} under ${countOf(keys, 'key')}`}
          aside={
            current !== undefined && <span className="text-sm text-muted">the rule has {formatCount(current)} now</span>
          }
        >
          <div className="grid gap-3 p-4">
            <p className="text-sm">
              Suggested: <strong>{formatCount(suggestion.count)}</strong>, {suggestion.reason}.
              {spared &&
                (spared.keys === 0
                  ? ' No client of the list was counted.'
                  : ` The highest of ${countOf(spared.keys, 'spared key')} gets to ${formatCount(spared.peak)}.`)}
            </p>
            <Histogram advice={advice} count={threshold?.count ?? 1} onChange={setCount} />
            {threshold && (
              <p className="text-sm" aria-live="polite">
                A limit of <strong>{formatCount(threshold.count)}</strong> stops{' '}
                <strong>{countOf(threshold.keys, 'key')}</strong> ({formatShare(threshold.keys / keys)}) and{' '}
                <strong>{countOf(threshold.requests, 'request')}</strong> ({formatShare(threshold.requests / requests)}
                ).
              </p>
            )}
            {limit && threshold && <WriteCount limit={limit} count={threshold.count} current={current} />}
          </div>
        </Card>
      )}
      {keys > 0 && <Highest advice={advice} count={threshold?.count ?? 0} />}
    </>
  );
}

function countIn(text: string): number | undefined {
  const action = parseRuleText(text).rule?.action;
  return action?.kind === 'limit' ? action.count : undefined;
}

/** Puts a count into the rule. */
function WriteCount({ limit, count, current }: { limit: Limit; count: number; current: number | undefined }) {
  const edit = useEdit();
  const write = (): void => {
    const { rule } = parseRuleText(limit.text);
    if (rule?.action.kind !== 'limit') return;
    const text = printRuleText({ ...rule, action: { ...rule.action, count } });
    edit.mutate([{ kind: 'replace-rule', fence: limit.fence, rule: limit.rule, text }]);
  };
  return (
    <div className="flex flex-wrap items-center gap-3">
      <Button look="primary" onClick={write} disabled={count === current || edit.isPending}>
        Write {formatCount(count)} into {limit.fence}/{limit.rule}
      </Button>
      {count === current && <span className="text-sm text-muted">The rule has this count.</span>}
      {edit.error && <ErrorNotice error={edit.error} />}
    </div>
  );
}

const STEPS = 1000;

/** Keys by their peak, in bars that are twice as wide each, with the threshold under them. */
function Histogram({
  advice: { histogram, thresholds },
  count,
  onChange,
}: {
  advice: LimitAdvice;
  count: number;
  onChange: (count: number) => void;
}) {
  const most = Math.max(...histogram.map(({ keys }) => keys));
  const place = placeOfCount(count) / histogram.length;
  return (
    <div className="max-w-3xl">
      <ol
        aria-label="Keys by the most of their requests within the window"
        className="grid h-44 items-end gap-1 border-b border-line"
        style={{ gridTemplateColumns: `repeat(${histogram.length}, minmax(0, 1fr))` }}
      >
        {histogram.map(({ from, to, keys }) => (
          <li key={from} className="flex h-full flex-col justify-end text-center text-xs">
            <span className="text-muted">{keys > 0 && formatCount(keys)}</span>
            <div
              className={`rounded-t ${from > count ? 'bg-blocked' : to > count ? 'bg-limited' : 'bg-jade'}`}
              style={{ height: keys === 0 ? 0 : `${8 + (Math.log1p(keys) / Math.log1p(most)) * 80}%` }}
            />
          </li>
        ))}
      </ol>
      <input
        type="range"
        aria-label="Limit"
        aria-valuetext={String(count)}
        min={0}
        max={STEPS}
        value={Math.round(place * STEPS)}
        onChange={({ target: { value } }) =>
          onChange(nearestThreshold(thresholds, countAt((Number(value) / STEPS) * histogram.length))?.count ?? 1)
        }
        onKeyDown={(event) => {
          const step = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
          if (step === undefined) return;
          event.preventDefault();
          const at = thresholds.findIndex((threshold) => threshold.count === count);
          onChange(thresholds[Math.min(thresholds.length - 1, Math.max(0, at + step))]!.count);
        }}
        className="block w-full accent-jade"
      />
      <ol
        aria-hidden
        className="grid gap-1 text-center text-xs text-muted"
        style={{ gridTemplateColumns: `repeat(${histogram.length}, minmax(0, 1fr))` }}
      >
        {histogram.map(({ from, to }) => (
          <li key={from}>{from === to ? from : `${formatCount(from)}–${formatCount(to)}`}</li>
        ))}
      </ol>
    </div>
  );
}

/** The highest keys, with what they did when. */
function Highest({ advice: { highest, times }, count }: { advice: LimitAdvice; count: number }) {
  return (
    <Card title="The highest keys">
      <div className="overflow-x-auto">
        <table className="w-full text-sm">
          <thead className="text-left text-muted">
            <tr>
              {['Gate', 'Key', 'Most within the window', 'First at', 'Requests'].map((title) => (
                <th key={title} scope="col" className="px-4 py-1.5 font-medium">
                  {title}
                </th>
              ))}
              <th scope="col" className="px-4 py-1.5 font-medium">
                {times ? `Time from ${formatTime(times.fromUnixMs)}` : 'Time'}
              </th>
            </tr>
          </thead>
          <tbody>
            {highest.map(({ gate, values, peak, peakAtUnixMs, requests, times: counts }) => (
              <tr key={JSON.stringify([gate, values])} className="border-t border-line">
                <td className="px-4 py-1.5">{gate === '' ? 'all' : gate}</td>
                <td className="px-4 py-1.5 font-mono">
                  {values.length === 0 ? 'everyone' : values.map((value) => value ?? 'none').join(', ')}
                </td>
                <td className={`px-4 py-1.5 tabular-nums ${peak > count ? 'font-semibold text-blocked' : ''}`}>
                  {formatCount(peak)}
                  {peak > count && <span className="sr-only"> is stopped</span>}
                </td>
                <td className="px-4 py-1.5 whitespace-nowrap">{formatTime(peakAtUnixMs)}</td>
                <td className="px-4 py-1.5 tabular-nums">{formatCount(requests)}</td>
                <td className="px-4 py-1.5">
                  <Times counts={counts} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Card>
  );
}

/** Requests over the time of the log, a bar a part. */
function Times({ counts }: { counts: readonly number[] }) {
  const most = Math.max(1, ...counts);
  return (
    <div aria-hidden className="flex h-5 w-32 items-end gap-px">
      {counts.map((number, part) => (
        <span
          key={part}
          className="flex-1 bg-jade"
          style={{ height: number === 0 ? '1px' : `${Math.max(15, (number / most) * 100)}%` }}
        />
      ))}
    </div>
  );
}
