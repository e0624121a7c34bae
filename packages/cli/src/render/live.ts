/** Output that updates in place. */
import type { ReplayProgress } from '@jadefence/contract';
import type { Streams } from '../output.js';
import { own } from './terminal.js';
import { countOf, formatCount, formatShare, printTable } from './text.js';

/** Lines at the end of a terminal that are written over; without a terminal nothing is shown. */
export class LiveLines {
  #numLines = 0;

  constructor(private readonly streams: Streams) {}

  show(text: string): void {
    const { stderr } = this.streams;
    if (!stderr.isTTY) return;
    this.#clear();
    stderr.write(`${text}\n`);
    this.#numLines = text.split('\n').length;
  }

  /** What was shown last stays. */
  end(): void {
    this.#numLines = 0;
  }

  #clear(): void {
    if (this.#numLines > 0) this.streams.stderr.write(`${own('\u001b[A').repeat(this.#numLines)}${own('\u001b[J')}`);
  }
}

const SHOWN_RULES = 12;

/** The progress of a replay. @param isWhole with partial results */
export function renderProgress({ requestsDone, requests, partial, state }: ReplayProgress, isWhole: boolean): string {
  const share = requests === 0 ? '' : `, ${formatShare(requestsDone / requests)}`;
  const head = `${formatCount(requestsDone)} of ${countOf(requests, 'request')}${share}, ${state}`;
  if (!isWhole || !partial) return head;
  const judged = Object.values(partial.outcomes).reduce((sum, value) => sum + value, 0);
  const outcomes = Object.entries(partial.outcomes).map(([outcome, one]) => [
    outcome,
    formatCount(one),
    formatShare(one / judged),
  ]);
  const rules = Object.entries(partial.rules)
    .filter(([, { hits }]) => hits > 0)
    .sort(([, a], [, b]) => b.hits - a.hits)
    .slice(0, SHOWN_RULES)
    .map(([rule, { hits, decided }]) => [rule, formatCount(hits), formatCount(decided)]);
  return [
    head,
    printTable(['outcome', 'requests', 'share'], outcomes, [1, 2]),
    ...(rules.length > 0 ? [printTable(['rule', 'hits', 'decided'], rules, [1, 2])] : []),
  ].join('\n\n');
}
