import type { ComparisonResult } from '@jadefence/contract';
import { OUTCOMES, type Outcome } from '@jadefence/core/language';
import { formatCount } from '../../format.js';

type Matrix = ComparisonResult['tally']['matrix'];

const WIDTH = 720;
const HEIGHT = 200;
const BAR_WIDTH = 14;
const GAP = 10;
/** For names of bars at the ends. */
const MARGIN = 8;
/** Room for the names at both sides. */
const LABEL_WIDTH = 150;
/** Of small flows, so that they can be seen. */
const LEAST_PIXELS = 2;

interface Bar {
  readonly outcome: Outcome;
  readonly requests: number;
  readonly top: number;
  readonly height: number;
}

/** How requests go from the outcomes before to those after. The table below it has the figures. */
export function FlowPicture({ matrix }: { matrix: Matrix }) {
  const count = (from: Outcome, to: Outcome): number => matrix[from]?.[to] ?? 0;
  const sum = (counts: readonly number[]): number => counts.reduce((total, item) => total + item, 0);
  const before = barsOf((outcome) => sum(OUTCOMES.map((to) => count(outcome, to))));
  const after = barsOf((outcome) => sum(OUTCOMES.map((from) => count(from, outcome))));
  const left = LABEL_WIDTH + BAR_WIDTH;
  const right = WIDTH - LABEL_WIDTH - BAR_WIDTH;
  const middle = (left + right) / 2;
  const fromTops = new Map(before.map(({ outcome, top }) => [outcome, top]));
  const toTops = new Map(after.map(({ outcome, top }) => [outcome, top]));
  const flows = before.flatMap((from) =>
    after.flatMap((to) => {
      const requests = count(from.outcome, to.outcome);
      if (requests === 0) return [];
      const [fromTop, toTop] = [fromTops.get(from.outcome)!, toTops.get(to.outcome)!];
      const heights = [(requests / from.requests) * from.height, (requests / to.requests) * to.height] as const;
      fromTops.set(from.outcome, fromTop + heights[0]);
      toTops.set(to.outcome, toTop + heights[1]);
      return [{ from, to, requests, fromTop, toTop, heights }];
    }),
  );
  return (
    <svg
      viewBox={`0 ${-MARGIN} ${WIDTH} ${HEIGHT + 2 * MARGIN}`}
      aria-hidden
      className="mx-auto max-h-56 w-full max-w-3xl p-3"
    >
      {flows.map(({ from, to, requests, fromTop, toTop, heights }) => (
        <path
          key={`${from.outcome} ${to.outcome}`}
          d={`M${left} ${fromTop} C${middle} ${fromTop} ${middle} ${toTop} ${right} ${toTop} V${toTop + heights[1]} C${middle} ${toTop + heights[1]} ${middle} ${fromTop + heights[0]} ${left} ${fromTop + heights[0]} Z`}
          fill={`var(--color-${to.outcome})`}
          opacity={from.outcome === to.outcome ? 0.18 : 0.6}
        >
          <title>{`${formatCount(requests)} from ${from.outcome} to ${to.outcome}`}</title>
        </path>
      ))}
      {before.map((bar) => (
        <Side key={bar.outcome} bar={bar} x={LABEL_WIDTH} labelX={LABEL_WIDTH - 8} anchor="end" />
      ))}
      {after.map((bar) => (
        <Side key={bar.outcome} bar={bar} x={right} labelX={right + BAR_WIDTH + 8} anchor="start" />
      ))}
    </svg>
  );
}

/** The outcomes that requests have, below each other, as high as they have requests. */
function barsOf(requestsOf: (outcome: Outcome) => number): Bar[] {
  const shown = OUTCOMES.map((outcome) => ({ outcome, requests: requestsOf(outcome) })).filter(
    ({ requests }) => requests > 0,
  );
  const total = shown.reduce((all, { requests }) => all + requests, 0);
  const room = HEIGHT - GAP * (shown.length - 1) - LEAST_PIXELS * shown.length;
  let top = 0;
  return shown.map(({ outcome, requests }) => {
    const bar = { outcome, requests, top, height: LEAST_PIXELS + (requests / total) * room };
    top += bar.height + GAP;
    return bar;
  });
}

function Side({
  bar: { outcome, requests, top, height },
  x,
  labelX,
  anchor,
}: {
  bar: Bar;
  x: number;
  labelX: number;
  anchor: 'start' | 'end';
}) {
  return (
    <>
      <rect x={x} y={top} width={BAR_WIDTH} height={height} rx={2} fill={`var(--color-${outcome})`} />
      <text
        x={labelX}
        y={top + height / 2}
        dominantBaseline="middle"
        textAnchor={anchor}
        fontSize={13}
        fill="var(--color-ink)"
      >
        {outcome} {formatCount(requests)}
      </text>
    </>
  );
}
