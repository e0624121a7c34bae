import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';
import { ChevronDownIcon } from '@heroicons/react/16/solid';
import { useEffect, useRef, type ReactNode } from 'react';

const LOOKS = {
  plain: 'border-line bg-surface',
  action: 'border-jade bg-jade-soft text-jade-strong',
  missing: 'border-dashed border-muted text-muted',
} as const;

/** A phrase of a sentence that opens its own picker. */
export function Chip({
  text,
  label,
  look = 'plain',
  isOpened = false,
  children,
}: {
  text: ReactNode;
  /** Its meaning, for those who cannot see its position. */
  label: string;
  look?: keyof typeof LOOKS;
  /** Its picker is open from the start. */
  isOpened?: boolean;
  children: (close: () => void) => ReactNode;
}) {
  const button = useRef<HTMLButtonElement>(null);
  useEffect(() => {
    if (isOpened) button.current?.click();
    // Only once: afterwards people open and close it.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, []);
  return (
    <Popover className="inline-block">
      <PopoverButton
        ref={button}
        aria-label={label}
        className={`inline-flex items-center gap-1 rounded-lg border px-2 py-0.5 text-left text-sm data-hover:bg-sunken ${LOOKS[look]}`}
      >
        {text}
        <ChevronDownIcon aria-hidden className="size-4 shrink-0 opacity-60" />
      </PopoverButton>
      <PopoverPanel
        anchor="bottom start"
        className="z-40 w-96 max-w-[calc(100vw-2rem)] overflow-auto rounded-xl border border-line bg-surface p-4 text-sm text-ink shadow-xl [--anchor-gap:6px]"
      >
        {({ close }) => <>{children(close)}</>}
      </PopoverPanel>
    </Popover>
  );
}
