import type { Draft } from '@jadefence/contract';

const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];
const DAY_MINUTES = 1440;
const HOURS = [0, 6, 12, 18];

interface Piece {
  readonly from: number;
  readonly to: number;
}

/** A week with its hours filled in. What runs past midnight goes on in the next row. */
export function Week({ weekly, label }: { weekly: Draft['schedules'][number]['weekly']; label: string }) {
  const pieces = piecesByDay(weekly);
  return (
    <div role="img" aria-label={`The week: ${label}`} className="my-3 grid max-w-2xl grid-cols-[2.5rem_1fr] gap-y-0.5">
      <span />
      <div className="relative h-4 text-xs text-muted tabular-nums">
        {HOURS.map((hour) => (
          <span key={hour} className="absolute" style={{ left: `${(hour / 24) * 100}%` }}>
            {String(hour).padStart(2, '0')}:00
          </span>
        ))}
      </div>
      {DAYS.map((day, index) => (
        <div key={day} className="contents">
          <span className="text-xs leading-4 text-muted">{day}</span>
          <div className="relative h-4 overflow-hidden rounded bg-sunken">
            {HOURS.slice(1).map((hour) => (
              <span
                key={hour}
                className="absolute inset-y-0 border-l border-line"
                style={{ left: `${(hour / 24) * 100}%` }}
              />
            ))}
            {pieces[index]!.map(({ from, to }) => (
              <span
                key={from}
                className="absolute inset-y-0 bg-jade"
                style={{ left: `${(from / DAY_MINUTES) * 100}%`, width: `${((to - from) / DAY_MINUTES) * 100}%` }}
              />
            ))}
          </div>
        </div>
      ))}
    </div>
  );
}

function piecesByDay(weekly: Draft['schedules'][number]['weekly']): Piece[][] {
  const pieces: Piece[][] = DAYS.map(() => []);
  for (const { days, spans } of weekly)
    for (const day of days)
      for (const { fromMinute, toMinute } of spans) {
        const runsOver = toMinute <= fromMinute;
        pieces[day - 1]!.push({ from: fromMinute, to: runsOver ? DAY_MINUTES : toMinute });
        if (runsOver && toMinute > 0) pieces[day % DAYS.length]!.push({ from: 0, to: toMinute });
      }
  return pieces;
}
