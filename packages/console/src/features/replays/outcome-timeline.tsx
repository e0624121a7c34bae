import type { ReplayResult } from '@jadefence/contract';
import type { Outcome } from '@jadefence/core/language';
import { useState } from 'react';
import { Bar, BarChart, CartesianGrid, ReferenceArea, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { OutcomeLabel } from '../../components/outcome.js';
import { formatClock, formatCount, formatTime, zoneName } from '../../format.js';
import { AXIS, CURSOR, TOOLTIP } from './chart-style.js';

const NO_STEP = -1;

interface Span {
  readonly fromUnixMs: number;
  /** Not included. */
  readonly toUnixMs: number;
}

interface Props {
  readonly timeline: ReplayResult['timeline'];
  readonly outcomes: readonly Outcome[];
  /** Receives a filter for the requests of the chosen bars. */
  readonly onSpan: (where: string) => void;
  /** Replays the chosen time alone, so that every figure is of it. */
  readonly onReplay: (span: Span) => void;
}

/** Outcomes by time, one stacked bar a step. Bars are chosen by dragging over them, or by the two fields below. */
export default function OutcomeTimeline({ timeline, outcomes, onSpan, onReplay }: Props) {
  const { stepMs } = timeline;
  const minutes = stepMs / 60_000;
  const [span, setSpan] = useState<Span>();
  /** @param first, last the starts of two steps, in any order */
  const choose = (first: number, last: number): void => {
    const chosen = { fromUnixMs: Math.min(first, last), toUnixMs: Math.max(first, last) + stepMs };
    setSpan(chosen);
    onSpan(`time >= ${instant(chosen.fromUnixMs)} and time < ${instant(chosen.toUnixMs)}`);
  };
  return (
    <figure className="p-4">
      <Bars timeline={timeline} outcomes={outcomes} span={span} onChoose={choose} />
      <figcaption className="mt-2 flex flex-wrap items-center gap-x-4 gap-y-1 text-sm text-muted">
        {outcomes.map((outcome) => (
          <OutcomeLabel key={outcome} outcome={outcome} />
        ))}
        <span>
          each bar is {minutes >= 60 ? `${minutes / 60} h` : `${minutes} min`}, times are {zoneName()}; drag over bars
          to choose their requests
        </span>
      </figcaption>
      <div className="mt-2 flex flex-wrap items-center gap-3 text-sm">
        <SpanFields timeline={timeline} span={span} onChoose={choose} />
        {span && (
          <>
            <Button size="small" onClick={() => onReplay(span)}>
              Replay only this time
            </Button>
            <Button
              size="small"
              onClick={() => {
                setSpan(undefined);
                onSpan('');
              }}
            >
              Clear
            </Button>
          </>
        )}
      </div>
    </figure>
  );
}

interface PartProps extends Pick<Props, 'timeline'> {
  readonly span: Span | undefined;
  /** Receives the starts of the two steps at the ends, in any order. */
  readonly onChoose: (first: number, last: number) => void;
}

function Bars({ timeline: { steps, stepMs }, outcomes, span, onChoose }: PartProps & Pick<Props, 'outcomes'>) {
  const [dragged, setDragged] = useState<{ readonly from: number; readonly to: number }>();
  const finish = (): void => {
    if (dragged) onChoose(dragged.from, dragged.to);
    setDragged(undefined);
  };
  const marked = dragged
    ? { x1: Math.min(dragged.from, dragged.to), x2: Math.max(dragged.from, dragged.to) }
    : span && { x1: span.fromUnixMs, x2: span.toUnixMs - stepMs };
  const isOneDay = steps.length * stepMs <= 25 * 3_600_000;
  const label = (atUnixMs: number): string => (isOneDay ? formatClock(atUnixMs) : formatTime(atUnixMs).slice(5, 10));
  // Stopped requests are on the ground line, where small bars can be distinguished.
  const stacked = [...outcomes].sort((a, b) => Number(a === 'allowed') - Number(b === 'allowed'));
  return (
    <div aria-hidden className="h-56">
      <ResponsiveContainer width="100%" height="100%">
        <BarChart
          accessibilityLayer={false}
          data={steps.map(({ fromUnixMs, outcomes: counts }) => ({ fromUnixMs, ...counts }))}
          barCategoryGap={1}
          margin={{ top: 4, right: 4, bottom: 0, left: 0 }}
          className="cursor-crosshair select-none"
          onMouseDown={({ activeLabel }) =>
            activeLabel !== undefined && setDragged({ from: Number(activeLabel), to: Number(activeLabel) })
          }
          onMouseMove={({ activeLabel }) =>
            dragged && activeLabel !== undefined && setDragged({ ...dragged, to: Number(activeLabel) })
          }
          onMouseUp={finish}
          onMouseLeave={finish}
        >
          <CartesianGrid vertical={false} stroke="var(--color-line)" />
          <XAxis dataKey="fromUnixMs" tickFormatter={label} minTickGap={40} {...AXIS} />
          <YAxis axisLine={false} width={48} tickFormatter={formatCount} {...AXIS} />
          <Tooltip
            isAnimationActive={false}
            labelFormatter={(at) => `${formatTime(Number(at)).slice(0, 16)} ${zoneName()}`}
            contentStyle={TOOLTIP}
            cursor={CURSOR}
          />
          {marked && <ReferenceArea {...marked} fill="var(--color-jade)" fillOpacity={0.18} />}
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
  );
}

/** The ends of the chosen time, for those who have no pointer. */
function SpanFields({ timeline: { steps, stepMs }, span, onChoose }: PartProps) {
  const starts = steps.map(({ fromUnixMs }) => fromUnixMs);
  const last = span && span.toUnixMs - stepMs;
  return (
    <>
      <StepChoice
        label="From"
        steps={starts}
        value={span?.fromUnixMs}
        onChoose={(from) => onChoose(from, Math.max(from, last ?? from))}
      />
      <StepChoice
        label="to the end of"
        steps={starts}
        value={last}
        onChoose={(to) => onChoose(Math.min(to, span?.fromUnixMs ?? to), to)}
      />
    </>
  );
}

function instant(atUnixMs: number): string {
  return new Date(atUnixMs).toISOString().replace('.000Z', 'Z');
}

/** One end of the chosen time, for those who have no pointer. */
function StepChoice({
  label,
  steps,
  value,
  onChoose,
}: {
  label: string;
  steps: readonly number[];
  value: number | undefined;
  onChoose: (fromUnixMs: number) => void;
}) {
  return (
    <Choice
      label={label}
      value={value ?? NO_STEP}
      options={[
        ...(value === undefined ? [{ value: NO_STEP, text: 'any time' }] : []),
        ...steps.map((step) => ({ value: step, text: formatTime(step).slice(0, 16) })),
      ]}
      onChange={(step) => step !== NO_STEP && onChoose(step)}
    />
  );
}
