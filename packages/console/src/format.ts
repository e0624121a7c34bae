const counts = new Intl.NumberFormat('en');

export function formatCount(count: number): string {
  return counts.format(count);
}

/** `1 line`, `2 lines`. @param plural where it is not the noun with an s */
export function countOf(count: number, noun: string, plural = `${noun}s`): string {
  return `${formatCount(count)} ${count === 1 ? noun : plural}`;
}

/** A share from 0 to 1 as per cent. */
export function formatShare(share: number): string {
  const percent = share * 100;
  return percent > 0 && percent < 0.1 ? '<0.1%' : `${percent.toFixed(1)}%`;
}

/** `2026-10-12 13:55:36`, in UTC. */
export function formatTime(atUnixMs: number | null | undefined): string {
  return atUnixMs == null ? '–' : new Date(atUnixMs).toISOString().slice(0, 19).replace('T', ' ');
}

/** `2026-10-12 13:55`, in UTC. @param at an instant as the service writes it (RFC 3339) */
export function formatMinute(at: string): string {
  return formatTime(Date.parse(at)).slice(0, -':36'.length);
}

/** `13:55`, in UTC. */
export function formatClock(atUnixMs: number): string {
  return new Date(atUnixMs).toISOString().slice(11, 16);
}
