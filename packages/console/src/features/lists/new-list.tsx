import { DialogPanel, DialogTitle } from '@headlessui/react';
import { LIST_KINDS, type ListKind } from '@jadefence/core/language';
import type { Edit } from '@jadefence/contract';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useLayoutEffect, useState } from 'react';
import { service } from '../../api/client.js';
import { useEdit } from '../../api/edit.js';
import { datasetsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { Modal } from '../../components/modal.js';
import { ErrorNotice } from '../../components/loaded.js';
import { useUnsaved } from '../../components/unsaved.js';
import { EntryReports, linesOf } from './entry-reports.js';
import { INPUT_STYLE, TextField } from '../../components/text-field.js';

/** The entries are written in the list itself. */
const HERE = '';

/** Names a group at the place where it is needed. */
export function NewList() {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <Button onClick={() => setOpen(true)}>New list …</Button>
      {isOpen && <NewListDialog onClose={() => setOpen(false)} />}
    </>
  );
}

function NewListDialog({ onClose }: { onClose: () => void }) {
  const [isDirty, setDirty] = useState(false);
  const unsaved = useUnsaved(isDirty);
  const cancel = (): void => unsaved.leave(onClose);
  return (
    <Modal onClose={cancel} isOnTop>
      <DialogPanel className="mx-auto max-w-lg rounded-xl border border-line bg-surface p-4 text-sm shadow-2xl md:p-6">
        {unsaved.question}
        <DialogTitle className="mb-3 text-lg font-semibold">New list</DialogTitle>
        <NewListForm onDirty={setDirty} onCancel={cancel} onDone={onClose} />
      </DialogPanel>
    </Modal>
  );
}

function NewListForm({
  onDirty,
  onCancel,
  onDone,
}: {
  onDirty: (isDirty: boolean) => void;
  onCancel: () => void;
  onDone: () => void;
}) {
  const [name, setName] = useState('');
  const [kind, setKind] = useState<ListKind>('addresses');
  const [entries, setEntries] = useState('');
  const [from, setFrom] = useState(HERE);
  const datasets = (useQuery(datasetsQuery).data ?? []).filter(
    (datasetInfo) => datasetInfo.isActive && datasetInfo.listKind === kind,
  );
  const dataset = datasets.find((datasetInfo) => datasetInfo.name === from);
  const edit = useEdit(onDone);
  const isDirty = !edit.isSuccess && (name !== '' || entries.trim() !== '');
  // Before the next key: an Escape right after the last letter has to find it.
  useLayoutEffect(() => onDirty(isDirty), [isDirty, onDirty]);
  const edits = editsOf({ name, kind, entries, dataset: dataset && from });
  // Nothing is created while an entry is wrong, so that nothing of what was written is lost.
  const check = useMutation({
    mutationFn: () => service.previewEdits(edits),
    onSuccess: (preview) => {
      if (preview.entries.every(({ result }) => result !== 'invalid')) edit.mutate(edits);
    },
  });
  const refused = check.data?.entries.filter(({ result }) => result === 'invalid') ?? [];
  const error = check.error ?? edit.error;
  return (
    <div className="grid gap-3">
      <TextField
        label="Name"
        value={name}
        onChange={(event) => setName(event.target.value)}
        placeholder="couriers"
        autoFocus
      />
      <Choice
        label="Holds"
        value={kind}
        options={LIST_KINDS.map((item) => ({ value: item, text: item }))}
        onChange={setKind}
      />
      {datasets.length > 0 && (
        <Choice
          label="Entries"
          value={dataset ? from : HERE}
          options={[
            { value: HERE, text: 'written here' },
            ...datasets.map((datasetInfo) => ({ value: datasetInfo.name, text: `the dataset ${datasetInfo.name}` })),
          ]}
          onChange={setFrom}
        />
      )}
      {!dataset && <EntriesField entries={entries} onChange={setEntries} />}
      {error && <ErrorNotice error={error} />}
      {refused.length > 0 && <EntryReports entries={refused} />}
      <Button className="justify-self-start" onClick={onCancel}>
        Cancel
      </Button>
      <Button
        look="primary"
        className="justify-self-end"
        disabled={name === '' || check.isPending || edit.isPending}
        onClick={() => check.mutate()}
      >
        Create the list
      </Button>
    </div>
  );
}

function EntriesField({ entries, onChange }: { entries: string; onChange: (entries: string) => void }) {
  return (
    <label className="font-medium">
      Entries, one a line
      <textarea
        value={entries}
        onChange={(event) => onChange(event.target.value)}
        rows={4}
        className={`mt-1 font-mono font-normal ${INPUT_STYLE}`}
      />
    </label>
  );
}

/** @param entries one a line; none where the list takes those of a dataset */
function editsOf({
  name,
  kind,
  entries,
  dataset,
}: {
  name: string;
  kind: ListKind;
  entries: string;
  dataset: string | undefined;
}): Edit[] {
  const text = `list ${name} ${kind} ${dataset === undefined ? '{ }' : `from dataset ${dataset}`}`;
  const isFilled = dataset === undefined && entries.trim() !== '';
  return [
    { kind: 'put', text, part: 'list', isNew: true },
    ...(isFilled ? [{ kind: 'edit-list' as const, list: name, add: linesOf(entries), remove: [] }] : []),
  ];
}
