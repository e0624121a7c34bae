import { Button as HeadlessButton } from '@headlessui/react';
import type { ComponentProps } from 'react';

const STYLES = {
  primary: 'bg-jade text-on-jade data-hover:bg-jade-strong',
  quiet: 'border border-line bg-surface text-ink data-hover:bg-sunken',
} as const;

const SIZES = { normal: 'px-3 py-1.5 text-sm', small: 'px-2 py-0.5 text-xs' } as const;

interface Look {
  readonly look?: keyof typeof STYLES;
  readonly size?: keyof typeof SIZES;
}

export function Button({ look = 'quiet', size = 'normal', className = '', ...props }: ComponentProps<'button'> & Look) {
  return (
    <HeadlessButton
      {...props}
      className={`inline-flex items-center justify-center gap-1.5 rounded-lg font-medium data-disabled:cursor-not-allowed data-disabled:opacity-50 ${STYLES[look]} ${SIZES[size]} ${className}`}
    />
  );
}
