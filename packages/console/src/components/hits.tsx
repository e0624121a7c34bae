import { formatCount, formatTime } from '../format.js';

/** How often a rule matched: a bar against the busiest rule, the number, and when last. */
export function Hits({ hits, most, lastHitUnixMs }: { hits: number; most: number; lastHitUnixMs?: number }) {
  const width = most === 0 || hits === 0 ? 0 : Math.max(3, (hits / most) * 100);
  return (
    <div className="w-40">
      <div className="flex items-baseline justify-between gap-2 tabular-nums">
        <span className={hits === 0 ? 'text-muted' : 'font-semibold'}>{formatCount(hits)}</span>
        <span className="text-xs text-muted">
          {hits === 0 ? 'never' : `last ${formatTime(lastHitUnixMs).slice(5, 16)}`}
        </span>
      </div>
      <div aria-hidden className="mt-1 h-1.5 rounded-full bg-sunken">
        <div className="h-full rounded-full bg-jade" style={{ width: `${width}%` }} />
      </div>
    </div>
  );
}
