import { BeakerIcon, CheckIcon, PauseIcon, ShieldCheckIcon } from '@heroicons/react/20/solid';

const STATES = {
  on: { Icon: CheckIcon, word: 'on', style: 'bg-jade-soft text-jade-strong' },
  enforce: { Icon: ShieldCheckIcon, word: 'enforce', style: 'bg-jade-soft text-jade-strong' },
  trial: { Icon: BeakerIcon, word: 'trial', style: 'bg-soft-limited text-limited' },
  off: { Icon: PauseIcon, word: 'off', style: 'bg-sunken text-muted' },
} as const;

/** The state of a rule or the mode of a fence, by icon and word. */
export function StateBadge({ state }: { state: keyof typeof STATES }) {
  const { Icon, word, style } = STATES[state];
  return (
    <span className={`inline-flex items-center gap-1 rounded-full px-2 py-0.5 text-xs font-medium ${style}`}>
      <Icon aria-hidden className="size-3.5" />
      {word}
    </span>
  );
}
