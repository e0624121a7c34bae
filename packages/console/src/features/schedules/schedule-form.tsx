import { DialogPanel, DialogTitle } from '@headlessui/react';
import { PlusIcon, XMarkIcon } from '@heroicons/react/20/solid';
import type { Edit } from '@jadefence/contract';
import { useId, useState } from 'react';
import { useFormEdit } from '../../api/form-edit.js';
import { Button } from '../../components/button.js';
import { EditError } from '../../components/edit-error.js';
import { Modal } from '../../components/modal.js';
import { INPUT_STYLE, TextField } from '../../components/text-field.js';
import { useTextForm } from '../../components/text-form.js';
import { useUnsaved } from '../../components/unsaved.js';
import {
  DAY_NAMES,
  NEW_SCHEDULE,
  readSchedule,
  weekOf,
  writeSchedule,
  type HoursValues,
  type ScheduleValues,
} from './schedule-values.js';
import { Week } from './week.js';

/** Creates a schedule, or edits one: form and text side by side, each follows the other. @param old its text */
export function ScheduleForm({ old, onClose }: { old?: { name: string; text: string }; onClose: () => void }) {
  const { text, values, problem, isDirty, set, write } = useTextForm(
    NEW_SCHEDULE,
    writeSchedule,
    readSchedule,
    old?.text,
  );
  const edit = useFormEdit(onClose);
  const unsaved = useUnsaved(isDirty && !edit.isSuccess);
  const save = (): void => {
    const rename: Edit[] =
      old && old.name !== values.name ? [{ kind: 'rename', part: 'schedule', name: old.name, to: values.name }] : [];
    edit.mutate([...rename, { kind: 'put', text, part: 'schedule', isNew: !old }]);
  };
  const cancel = (): void => unsaved.leave(onClose);
  return (
    <Modal onClose={cancel}>
      <DialogPanel className="mx-auto grid max-w-5xl gap-4 rounded-xl border border-line bg-surface p-4 shadow-2xl md:p-6">
        {unsaved.question}
        <DialogTitle className="text-lg font-semibold">
          {old ? `Edit schedule ${old.name}` : 'New schedule'}
        </DialogTitle>
        <div className="grid gap-5 lg:grid-cols-2">
          <ScheduleFields values={values} set={set} />
          <div className="grid content-start gap-3">
            <label className="text-sm">
              <span className="font-medium">The schedule as fence text</span>
              <textarea
                rows={8}
                value={text}
                onChange={(event) => write(event.target.value)}
                className={`mt-1 font-mono text-xs ${INPUT_STYLE}`}
              />
            </label>
            {problem && values.name !== '' && (
              <p role="alert" className="text-sm text-blocked">
                {problem}
              </p>
            )}
            <Week weekly={weekOf(values)} label={`the hours of ${values.name || 'the new schedule'}`} />
          </div>
        </div>
        <EditError error={edit.error} keepMine={edit.keepMine} />
        <div className="flex justify-end gap-2">
          <Button onClick={cancel}>Cancel</Button>
          <Button look="primary" disabled={problem !== undefined || edit.isPending} onClick={save}>
            {old ? 'Save schedule' : 'Create schedule'}
          </Button>
        </div>
      </DialogPanel>
    </Modal>
  );
}

interface FieldsProps {
  values: ScheduleValues;
  set: (change: Partial<ScheduleValues>) => void;
}

function ScheduleFields({ values, set }: FieldsProps) {
  return (
    <div className="grid content-start gap-4">
      <div className="grid gap-4 sm:grid-cols-2">
        <TextField
          label="Name"
          value={values.name}
          placeholder="opening-hours"
          onChange={(event) => set({ name: event.target.value })}
        />
        <ZoneField
          label="Time zone; the one of the rules where empty"
          value={values.zone}
          onChange={(zone) => set({ zone })}
        />
      </div>
      {values.weekly.map((hours, at) => (
        <HoursRow
          key={at}
          number={at + 1}
          hours={hours}
          onChange={(changed) =>
            set({ weekly: values.weekly.map((before, index) => (index === at ? changed : before)) })
          }
          onRemove={
            values.weekly.length > 1
              ? () => set({ weekly: values.weekly.filter((_, index) => index !== at) })
              : undefined
          }
        />
      ))}
      <Button
        size="small"
        className="justify-self-start"
        onClick={() => set({ weekly: [...values.weekly, { days: [6, 7], from: '10:00', to: '16:00' }] })}
      >
        <PlusIcon aria-hidden className="size-4" />
        More hours
      </Button>
      <Exceptions values={values} set={set} />
    </div>
  );
}

/** A zone by its name, with those that the browser knows to choose from. */
export function ZoneField({
  label,
  value,
  onChange,
}: {
  label: string;
  value: string;
  onChange: (zone: string) => void;
}) {
  const id = useId();
  return (
    <>
      <TextField
        label={label}
        value={value}
        list={id}
        placeholder="Europe/Oslo"
        onChange={(event) => onChange(event.target.value)}
      />
      <datalist id={id}>
        {Intl.supportedValuesOf('timeZone').map((zone) => (
          <option key={zone} value={zone} />
        ))}
      </datalist>
    </>
  );
}

function HoursRow({
  number,
  hours: { days, from, to },
  onChange,
  onRemove,
}: {
  number: number;
  hours: HoursValues;
  onChange: (hours: HoursValues) => void;
  onRemove?: () => void;
}) {
  const toggle = (day: number): void =>
    onChange({ days: days.includes(day) ? days.filter((other) => other !== day) : [...days, day], from, to });
  return (
    <fieldset className="grid gap-2 rounded-lg border border-line p-3">
      <legend className="px-1 text-sm text-muted">Hours {number}</legend>
      <div className="flex flex-wrap gap-1" role="group" aria-label={`Days of hours ${number}`}>
        {DAY_NAMES.map((name, index) => (
          <Button
            key={name}
            size="small"
            look={days.includes(index + 1) ? 'primary' : 'quiet'}
            aria-pressed={days.includes(index + 1)}
            onClick={() => toggle(index + 1)}
          >
            {name}
          </Button>
        ))}
      </div>
      <div className="flex items-end gap-2">
        <TextField
          label="from"
          type="time"
          value={from}
          onChange={(event) => onChange({ days, from: event.target.value, to })}
        />
        <TextField
          label="to"
          type="time"
          value={to}
          onChange={(event) => onChange({ days, from, to: event.target.value })}
        />
        {onRemove && (
          <Button size="small" aria-label={`Remove hours ${number}`} onClick={onRemove}>
            <XMarkIcon aria-hidden className="size-4" />
          </Button>
        )}
      </div>
      {to !== '' && to <= from && (
        <p className="text-xs text-muted">{to === '00:00' ? 'They end with the day.' : 'They end on the next day.'}</p>
      )}
    </fieldset>
  );
}

function Exceptions({ values: { exceptions }, set }: FieldsProps) {
  const [date, setDate] = useState('');
  return (
    <div className="grid gap-2">
      <div className="flex items-end gap-2">
        <TextField
          label="Dates whose hours are left out"
          type="date"
          value={date}
          onChange={(event) => setDate(event.target.value)}
        />
        <Button
          disabled={date === '' || exceptions.includes(date)}
          onClick={() => {
            set({ exceptions: [...exceptions, date].sort() });
            setDate('');
          }}
        >
          Add date
        </Button>
      </div>
      <div className="flex flex-wrap gap-1">
        {exceptions.map((exception) => (
          <Button
            key={exception}
            size="small"
            aria-label={`Remove ${exception}`}
            onClick={() => set({ exceptions: exceptions.filter((other) => other !== exception) })}
          >
            {exception}
            <XMarkIcon aria-hidden className="size-4" />
          </Button>
        ))}
      </div>
    </div>
  );
}
