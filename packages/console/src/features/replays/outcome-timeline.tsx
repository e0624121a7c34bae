import type { ReplayResult } from '@jadefence/contract';
import type { Outcome } from '@jadefence/core/language';
import { Bar, BarChart, CartesianGrid, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { Choice } from '../../components/choice.js';
import { OutcomeLabel } from '../../components/outcome.js';
import { formatClock, formatCount, formatTime } from '../../format.js';

const NO_STEP = -1;

interface Props {
  readonly timeline: ReplayResult['timeline'];
  readonly outcomes: readonly Outcome[];
  /** Receives a filter for the requests of a bar. */
  readonly onSpan: (where: string) => void;
}

/** Outcomes by time, one stacked bar a step. */
export default function OutcomeTimeline({ timeline, outcomes, onSpan }: Props) {
  const data = timeline.steps.map(({ fromUnixMs, outcomes: counts }) => ({ fromUnixMs, ...counts }));
  const minutes = timeline.stepMs / 60_000;
  const instant = (atUnixMs: number): string => new Date(atUnixMs).toISOString().replace('.000Z', 'Z');
  const show = (fromUnixMs: number): void =>
    onSpan(`time >= ${instant(fromUnixMs)} and time < ${instant(fromUnixMs + timeline.stepMs)}`);
  const isOneDay = timeline.steps.length * timeline.stepMs <= 25 * 3_600_000;
  const label = (atUnixMs: number): string => (isOneDay ? formatClock(atUnixMs) : formatTime(atUnixMs).slice(5, 10));
  // Stopped requests are on the ground line, where small bars can be distinguished.
  const stacked = [...outcomes].sort((a, b) => Number(a === 'allowed') - Number(b === 'allowed'));
  return (
    <figure className="p-4">
      <div aria-hidden className="h-56">
        <ResponsiveContainer width="100%" height="100%">
          <BarChart
            accessibilityLayer={false}
            data={data}
            barCategoryGap={1}
            margin={{ top: 4, right: 4, bottom: 0, left: 0 }}
            className="cursor-pointer"
            onClick={({ activeLabel }) => activeLabel !== undefined && show(Number(activeLabel))}
          >
            <CartesianGrid vertical={false} stroke="var(--color-line)" />
            <XAxis
              dataKey="fromUnixMs"
              tickFormatter={label}
              stroke="var(--color-muted)"
              fontSize={12}
              tickLine={false}
              minTickGap={40}
            />
            <YAxis
              stroke="var(--color-muted)"
              fontSize={12}
              tickLine={false}
              axisLine={false}
              width={48}
              tickFormatter={formatCount}
            />
            <Tooltip
              isAnimationActive={false}
              labelFormatter={(at) => `${formatTime(Number(at)).slice(0, 16)} UTC`}
              contentStyle={{
                background: 'var(--color-surface)',
                border: '1px solid var(--color-line)',
                borderRadius: 8,
              }}
            />
            {stacked.map((outcome) => (
              <Bar
                key={outcome}
                dataKey={outcome}
                stackId="outcomes"
                fill={`var(--color-${outcome})`}
                isAnimationActive={false}
              />
            ))}
          </BarChart>
        </ResponsiveContainer>
      </div>
      <figcaption className="mt-2 flex flex-wrap items-center gap-x-4 gap-y-1 text-sm text-muted">
        {outcomes.map((outcome) => (
          <OutcomeLabel key={outcome} outcome={outcome} />
        ))}
        <span>
          each bar is {minutes >= 60 ? `${minutes / 60} h` : `${minutes} min`}, times are UTC; a click shows its
          requests
        </span>
        <StepChoice timeline={timeline} onChoose={show} />
      </figcaption>
    </figure>
  );
}

/** The same as a click on a bar, for those who have no pointer. */
function StepChoice({
  timeline,
  onChoose,
}: {
  timeline: ReplayResult['timeline'];
  onChoose: (fromUnixMs: number) => void;
}) {
  return (
    <Choice
      label="Requests from"
      value={NO_STEP}
      options={[
        { value: NO_STEP, text: 'any time' },
        ...timeline.steps.map(({ fromUnixMs }) => ({
          value: fromUnixMs,
          text: formatTime(fromUnixMs).slice(0, 16),
        })),
      ]}
      onChange={(fromUnixMs) => fromUnixMs !== NO_STEP && onChoose(fromUnixMs)}
    />
  );
}
