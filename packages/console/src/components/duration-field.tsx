import { Field, Input, Label } from '@headlessui/react';
import { Choice } from './choice.js';
import { INPUT_STYLE } from './text-field.js';

const UNITS = [
  { value: 's', text: 'seconds' },
  { value: 'm', text: 'minutes' },
  { value: 'h', text: 'hours' },
  { value: 'd', text: 'days' },
];

/** A duration as the language writes it, such as `30m`: a number and its unit. */
export function DurationField({
  label,
  value,
  onChange,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
}) {
  const unit = value.at(-1) ?? 'm';
  const count = value.slice(0, -1);
  return (
    <Field className="text-sm">
      <Label className="font-medium">{label}</Label>
      <div className="mt-1 flex gap-2">
        <Input
          type="number"
          min={1}
          value={count}
          onChange={(event) => onChange(`${event.target.value}${unit}`)}
          className={`${INPUT_STYLE} max-w-20`}
        />
        <Choice
          label={`Unit of "${label}"`}
          isLabelHidden
          value={unit}
          options={UNITS}
          onChange={(changed) => onChange(`${count}${changed}`)}
        />
      </div>
    </Field>
  );
}
