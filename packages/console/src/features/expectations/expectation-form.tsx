import { DialogPanel, DialogTitle } from '@headlessui/react';
import { PlusIcon, XMarkIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import type { Edit } from '@jadefence/contract';
import { EXPECT_FIELDS, FIELDS_WITH_PARAMETER } from '@jadefence/core/language';
import { useEdit } from '../../api/edit.js';
import { draftQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { DurationField } from '../../components/duration-field.js';
import { InstantField } from '../../components/instant-field.js';
import { ErrorNotice } from '../../components/loaded.js';
import { Modal } from '../../components/modal.js';
import { INPUT_STYLE, TextField } from '../../components/text-field.js';
import { useTextForm } from '../../components/text-form.js';
import { useUnsaved } from '../../components/unsaved.js';
import {
  EXPECTED_OUTCOMES,
  NEW_EXPECTATION,
  readExpectation,
  writeExpectation,
  type ExpectationValues,
  type FieldValues,
} from './expectation-values.js';

/**
 * Creates an expectation, or edits one: form and text side by side, each follows the other.
 * @param given a text to begin with
 * @param old the name of the expectation that is edited
 */
export function ExpectationForm({ given, old, onClose }: { given?: string; old?: string; onClose: () => void }) {
  const form = useTextForm(NEW_EXPECTATION, writeExpectation, readExpectation, given);
  const { text, values, problem, isDirty, set, write } = form;
  const edit = useEdit(onClose);
  const unsaved = useUnsaved(isDirty && !edit.isSuccess);
  const isBegun = values.client !== '' && values.url !== '';
  const save = (): void => {
    const put: Edit = { kind: 'put', text, part: 'expect', isNew: old === undefined };
    // What is expected is its name, so one that changes is another.
    edit.mutate(
      old === undefined
        ? [put]
        : [
            { kind: 'remove', part: 'expect', name: old },
            { ...put, isNew: true },
          ],
    );
  };
  const cancel = (): void => unsaved.leave(onClose);
  return (
    <Modal onClose={cancel}>
      <DialogPanel className="mx-auto grid max-w-3xl gap-4 rounded-xl border border-line bg-surface p-4 shadow-2xl md:p-6">
        {unsaved.question}
        <DialogTitle className="text-lg font-semibold">{old ? 'Edit expectation' : 'New expectation'}</DialogTitle>
        <ExpectationFields values={values} set={set} />
        <label className="text-sm">
          <span className="font-medium">The expectation as fence text</span>
          <textarea
            rows={3}
            value={text}
            onChange={(event) => write(event.target.value)}
            className={`mt-1 font-mono text-xs ${INPUT_STYLE}`}
          />
        </label>
        {problem && isBegun && (
          <p role="alert" className="text-sm text-blocked">
            {problem}
          </p>
        )}
        {edit.error && <ErrorNotice error={edit.error} />}
        <div className="flex justify-end gap-2">
          <Button onClick={cancel}>Cancel</Button>
          <Button look="primary" disabled={problem !== undefined || edit.isPending} onClick={save}>
            {old ? 'Save expectation' : 'Add expectation'}
          </Button>
        </div>
      </DialogPanel>
    </Modal>
  );
}

interface FieldsProps {
  values: ExpectationValues;
  set: (change: Partial<ExpectationValues>) => void;
}

function ExpectationFields({ values, set }: FieldsProps) {
  const rules = useQuery(draftQuery).data?.fences.flatMap(({ name, rules: inFence }) =>
    inFence.map((rule) => `${name}/${rule.name}`),
  );
  const isKnown = values.rule === '' || rules?.includes(values.rule);
  return (
    <>
      <div className="grid gap-4 sm:grid-cols-2">
        <TextField
          label="Client"
          value={values.client}
          placeholder="198.18.90.7"
          onChange={(event) => set({ client: event.target.value })}
        />
        <TextField
          label="URL"
          value={values.url}
          placeholder="https://shop.example/login"
          onChange={(event) => set({ url: event.target.value })}
        />
      </div>
      <div className="flex flex-wrap items-end gap-4">
        <Choice
          label="Expected outcome"
          value={values.outcome}
          options={EXPECTED_OUTCOMES.map((value) => ({ value, text: value }))}
          onChange={(outcome) => set({ outcome })}
        />
        <Choice
          label="by rule"
          value={values.rule}
          options={[
            { value: '', text: 'any' },
            ...(isKnown ? [] : [{ value: values.rule, text: values.rule }]),
            ...(rules ?? []).map((value) => ({ value, text: value })),
          ]}
          onChange={(rule) => set({ rule })}
        />
      </div>
      {values.outcome === 'limited' && (
        <div className="grid gap-4 sm:grid-cols-2">
          <TextField
            label="after so many such requests"
            type="number"
            min={1}
            value={values.after.count}
            onChange={(event) => set({ after: { count: event.target.value, window: values.after.window || '5m' } })}
          />
          {values.after.count !== '' && (
            <DurationField
              label="within"
              value={values.after.window}
              onChange={(window) => set({ after: { ...values.after, window } })}
            />
          )}
        </div>
      )}
      <Fields fields={values.fields} onChange={(fields) => set({ fields })} />
      <div className="grid gap-4 sm:grid-cols-2">
        <InstantField label="Time, if it matters" value={values.atUnixMs} onChange={(atUnixMs) => set({ atUnixMs })} />
        <TextField
          label="Because"
          value={values.because}
          placeholder="why it has to be so"
          onChange={(event) => set({ because: event.target.value })}
        />
      </div>
    </>
  );
}

/** What else is known of the request: method, headers, user and the like. */
function Fields({
  fields,
  onChange,
}: {
  fields: readonly FieldValues[];
  onChange: (fields: readonly FieldValues[]) => void;
}) {
  const change = (at: number, part: Partial<FieldValues>): void =>
    onChange(fields.map((item, index) => (index === at ? { ...item, ...part } : item)));
  return (
    <fieldset className="grid gap-2">
      <legend className="text-sm font-medium">More of the request</legend>
      {fields.map(({ field, parameter, value }, at) => (
        <div key={at} className="flex flex-wrap items-end gap-2">
          <Choice
            label={`Field ${at + 1}`}
            value={field}
            options={EXPECT_FIELDS.map((name) => ({ value: name as string, text: name }))}
            onChange={(changed) => change(at, { field: changed, parameter: '' })}
          />
          {FIELDS_WITH_PARAMETER.some((name) => name === field) && (
            <TextField
              label="named"
              value={parameter}
              onChange={(event) => change(at, { parameter: event.target.value })}
            />
          )}
          <TextField
            label="is"
            className="min-w-40 grow"
            value={value}
            onChange={(event) => change(at, { value: event.target.value })}
          />
          <Button
            size="small"
            aria-label={`Remove field ${at + 1}`}
            onClick={() => onChange(fields.filter((_, index) => index !== at))}
          >
            <XMarkIcon aria-hidden className="size-4" />
          </Button>
        </div>
      ))}
      <Button
        size="small"
        className="justify-self-start"
        onClick={() => onChange([...fields, { field: 'method', parameter: '', value: 'POST' }])}
      >
        <PlusIcon aria-hidden className="size-4" />
        Add field
      </Button>
    </fieldset>
  );
}
