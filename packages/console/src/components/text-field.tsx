import { Description, Field, Input, Label } from '@headlessui/react';
import type { ComponentProps } from 'react';

export const INPUT_STYLE =
  'w-full rounded-lg border border-line bg-ground px-3 py-1.5 text-ink data-invalid:border-blocked';

/** A line of text with its label, and what is wrong with it under it. */
export function TextField({
  label,
  problem,
  className = '',
  ...props
}: ComponentProps<'input'> & { label: string; problem?: string }) {
  return (
    <Field className={`text-sm ${className}`}>
      <Label className="font-medium">{label}</Label>
      <Input {...props} invalid={problem !== undefined} className={`mt-1 ${INPUT_STYLE}`} />
      {problem && (
        <Description role="alert" className="mt-1 text-blocked">
          {problem}
        </Description>
      )}
    </Field>
  );
}
