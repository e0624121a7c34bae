import {
  ArrowUturnRightIcon,
  CheckCircleIcon,
  ClockIcon,
  HandRaisedIcon,
  NoSymbolIcon,
  QuestionMarkCircleIcon,
} from '@heroicons/react/20/solid';
import type { Outcome } from '@jadefence/core/language';

const ICONS = {
  allowed: CheckCircleIcon,
  blocked: NoSymbolIcon,
  limited: ClockIcon,
  redirected: ArrowUturnRightIcon,
  held: HandRaisedIcon,
  uncovered: QuestionMarkCircleIcon,
} as const;
const TEXT = {
  allowed: 'text-allowed',
  blocked: 'text-blocked',
  limited: 'text-limited',
  redirected: 'text-redirected',
  held: 'text-held',
  uncovered: 'text-uncovered',
} as const;

/** An outcome by icon and word. */
export function OutcomeLabel({ outcome }: { outcome: Outcome }) {
  const Icon = ICONS[outcome];
  return (
    <span className={`inline-flex items-center gap-1 font-medium ${TEXT[outcome]}`}>
      <Icon aria-hidden className="size-4" />
      {outcome}
    </span>
  );
}
