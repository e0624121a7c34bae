import { CheckCircleIcon, ClockIcon, ExclamationTriangleIcon, XCircleIcon } from '@heroicons/react/16/solid';
import type { Freshness, FreshnessInfo } from '@jadefence/contract';

const LOOKS: Record<Freshness, { Icon: typeof ClockIcon; style: string }> = {
  fresh: { Icon: CheckCircleIcon, style: 'text-allowed' },
  ageing: { Icon: ClockIcon, style: 'text-limited' },
  stale: { Icon: ExclamationTriangleIcon, style: 'text-blocked' },
  missing: { Icon: XCircleIcon, style: 'text-muted' },
  failed: { Icon: ExclamationTriangleIcon, style: 'text-blocked' },
};

/** How old reference data is: an icon, a word and the reason. */
export function FreshnessBadge({ freshness: { state, reason } }: { freshness: FreshnessInfo }) {
  const { Icon, style } = LOOKS[state];
  return (
    <span className="inline-flex flex-wrap items-center gap-1 text-sm font-normal">
      <Icon aria-hidden className={`size-4 ${style}`} />
      <span className={`font-medium ${style}`}>{state}</span>
      <span className="text-muted">{reason}</span>
    </span>
  );
}
