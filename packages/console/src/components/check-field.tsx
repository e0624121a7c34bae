import { Checkbox, Field, Label } from '@headlessui/react';
import { CheckIcon } from '@heroicons/react/20/solid';

/** The box alone. @param label where it is not within a field that has one */
export function CheckBox({
  label,
  isOn,
  onChange,
}: {
  label?: string;
  isOn: boolean;
  onChange: (isOn: boolean) => void;
}) {
  return (
    <Checkbox
      aria-label={label}
      checked={isOn}
      onChange={onChange}
      className="group flex size-4 shrink-0 items-center justify-center rounded border border-muted data-checked:border-jade data-checked:bg-jade"
    >
      <CheckIcon aria-hidden className="invisible size-3.5 text-on-jade group-data-checked:visible" />
    </Checkbox>
  );
}

/** Yes or no, as a box to tick. */
export function CheckField({
  label,
  isOn,
  onChange,
}: {
  label: string;
  isOn: boolean;
  onChange: (isOn: boolean) => void;
}) {
  return (
    <Field className="flex items-center gap-2 text-sm">
      <CheckBox isOn={isOn} onChange={onChange} />
      <Label className="cursor-pointer">{label}</Label>
    </Field>
  );
}
