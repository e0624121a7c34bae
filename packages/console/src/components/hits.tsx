import { formatCount, formatTime } from '../format.js';

/** How often a rule matched: a bar against the busiest rule, the number, and when last. */
export function Hits({ hits, most, lastHitUnixMs }: { hits: number; most: number; lastHitUnixMs?: number }) {
  const width = most === 0 || hits === 0 ? 0 : Math.max(3, (hits / most) * 100);
  return (
    <div className="w-44 leading-tight whitespace-nowrap">
      <div className="flex items-baseline justify-between gap-2 tabular-nums">
        <span className={hits === 0 ? 'text-muted' : 'font-semibold'}>{formatCount(hits)}</span>
        <span className="text-xs text-muted">{hits === 0 ? 'never' : formatTime(lastHitUnixMs).slice(0, 16)}</span>
      </div>
      <div aria-hidden className="mt-0.5 h-1 rounded-full bg-sunken">
        <div className="h-full rounded-full bg-jade" style={{ width: `${width}%` }} />
      </div>
    </div>
  );
}
