import {
  coarsenThrottle,
  formatBytes,
  formatWait,
  type FenceSummary,
  type ThrottleSummary,
} from '@jadefence/core/replay';
import { Bar, BarChart, CartesianGrid, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { Card } from '../../components/layout.js';
import { formatClock, formatCount, formatTime, zoneName } from '../../format.js';
import { AXIS, CURSOR, TOOLTIP } from './chart-style.js';

const MAX_STEPS = 48;
const HOUR_MS = 3_600_000;
const NAMES = { logged: 'as logged', shaped: 'throttled' } as const;

interface Props {
  readonly fences: readonly FenceSummary[];
  readonly onFilter: (where: string) => void;
}

/** How long the bytes of each throttle would have waited, and when they would have passed. */
export default function ThrottleCard({ fences, onFilter }: Props) {
  const throttles = fences.flatMap(({ fence, rules }) =>
    rules.flatMap(({ rule, throttle }) =>
      throttle && throttle.delayed > 0 ? [{ id: `${fence}/${rule}`, throttle }] : [],
    ),
  );
  if (throttles.length === 0) return null;
  return (
    <Card title="Throttled bytes">
      {throttles.map(({ id, throttle }) => (
        <Throttle key={id} id={id} throttle={throttle} onShow={() => onFilter(`throttled = ${id}`)} />
      ))}
      <p className="border-t border-line px-4 py-2 text-sm text-muted">
        Requests stay where the log has them, though a client that waits would have sent later ones later.
      </p>
    </Card>
  );
}

function Throttle({ id, throttle, onShow }: { id: string; throttle: ThrottleSummary; onShow: () => void }) {
  const { metered, bytes, delayed, totalWaitMs, p95WaitMs, laterBytes } = throttle;
  const { stepMs, steps } = coarsenThrottle(throttle, MAX_STEPS);
  return (
    <figure className="p-4">
      <figcaption className="mb-2 flex flex-wrap items-baseline gap-x-4 gap-y-1 text-sm">
        <span className="font-mono">{id}</span>
        <span>
          delays{' '}
          <button type="button" onClick={onShow} className="text-jade underline-offset-2 hover:underline">
            {formatCount(delayed)}
          </button>{' '}
          of {formatCount(metered)} requests with {formatBytes(bytes)}: {formatWait(totalWaitMs)} in all, 95% at most{' '}
          {formatWait(p95WaitMs)}
        </span>
        {laterBytes > 0 && <span>{formatBytes(laterBytes)} would wait more than a week</span>}
      </figcaption>
      <Bars stepMs={stepMs} steps={steps} />
      <StepTable id={id} steps={steps} />
      <p className="mt-1 flex flex-wrap gap-x-4 text-sm text-muted">
        <Key colour="bg-muted" text={NAMES.logged} />
        <Key colour="bg-jade" text={NAMES.shaped} />
        <span>
          each pair of bars is {stepMs / HOUR_MS} h, times are {zoneName()}
        </span>
      </p>
    </figure>
  );
}

function Key({ colour, text }: { colour: string; text: string }) {
  return (
    <span className="inline-flex items-center gap-1.5">
      <span aria-hidden className={`size-2.5 rounded-sm ${colour}`} />
      {text}
    </span>
  );
}

function Bars({ stepMs, steps }: Pick<ThrottleSummary, 'stepMs' | 'steps'>) {
  const isOneDay = steps.length * stepMs <= 25 * HOUR_MS;
  const label = (atUnixMs: number): string => (isOneDay ? formatClock(atUnixMs) : formatTime(atUnixMs).slice(5, 16));
  return (
    <div aria-hidden className="h-40">
      <ResponsiveContainer width="100%" height="100%">
        <BarChart
          accessibilityLayer={false}
          data={[...steps]}
          barGap={0}
          margin={{ top: 4, right: 4, bottom: 0, left: 0 }}
        >
          <CartesianGrid vertical={false} stroke="var(--color-line)" />
          <XAxis dataKey="fromUnixMs" tickFormatter={label} minTickGap={40} {...AXIS} />
          <YAxis axisLine={false} width={64} tickFormatter={formatBytes} {...AXIS} />
          <Tooltip
            isAnimationActive={false}
            labelFormatter={(at) => `${formatTime(Number(at)).slice(0, 16)} ${zoneName()}`}
            formatter={(value, name) => [formatBytes(Number(value)), NAMES[name as keyof typeof NAMES]]}
            contentStyle={TOOLTIP}
            cursor={CURSOR}
          />
          <Bar dataKey="logged" fill="var(--color-muted)" isAnimationActive={false} />
          <Bar dataKey="shaped" fill="var(--color-jade)" isAnimationActive={false} />
        </BarChart>
      </ResponsiveContainer>
    </div>
  );
}

/** The same for those who do not see the bars. */
function StepTable({ id, steps }: { id: string } & Pick<ThrottleSummary, 'steps'>) {
  return (
    <table className="sr-only">
      <caption>Bytes by {id}</caption>
      <thead>
        <tr>
          <th scope="col">from</th>
          <th scope="col">{NAMES.logged}</th>
          <th scope="col">{NAMES.shaped}</th>
        </tr>
      </thead>
      <tbody>
        {steps.map(({ fromUnixMs, logged, shaped }) => (
          <tr key={fromUnixMs}>
            <th scope="row">{formatTime(fromUnixMs)}</th>
            <td>{formatBytes(logged)}</td>
            <td>{formatBytes(shaped)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
