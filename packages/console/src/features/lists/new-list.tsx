import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';
import { LIST_KINDS, type ListKind } from '@jadefence/core/language';
import type { Edit } from '@jadefence/contract';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { service } from '../../api/client.js';
import { useEdit } from '../../api/edit.js';
import { datasetsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { ErrorNotice } from '../../components/loaded.js';
import { EntryReports, linesOf } from './entry-reports.js';
import { INPUT_STYLE, TextField } from '../../components/text-field.js';

/** The entries are written in the list itself. */
const HERE = '';

/** Names a group at the place where it is needed. */
export function NewList() {
  return (
    <Popover>
      <PopoverButton as={Button}>New list …</PopoverButton>
      <PopoverPanel
        anchor="top start"
        className="z-40 w-96 max-w-[calc(100vw-2rem)] rounded-xl border border-line bg-surface p-4 text-sm shadow-xl [--anchor-gap:6px]"
      >
        {({ close }) => <NewListForm onDone={close} />}
      </PopoverPanel>
    </Popover>
  );
}

function NewListForm({ onDone }: { onDone: () => void }) {
  const [name, setName] = useState('');
  const [kind, setKind] = useState<ListKind>('addresses');
  const [entries, setEntries] = useState('');
  const [from, setFrom] = useState(HERE);
  const datasets = (useQuery(datasetsQuery).data ?? []).filter(
    (datasetInfo) => datasetInfo.isActive && datasetInfo.listKind === kind,
  );
  const dataset = datasets.find((datasetInfo) => datasetInfo.name === from);
  const edit = useEdit(onDone);
  const edits: Edit[] = [
    {
      kind: 'put',
      text: `list ${name} ${kind} ${dataset ? `from dataset ${from}` : '{ }'}`,
      part: 'list',
      isNew: true,
    },
    ...(!dataset && entries.trim() !== ''
      ? [{ kind: 'edit-list' as const, list: name, add: linesOf(entries), remove: [] }]
      : []),
  ];
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
      <TextField label="Name" value={name} onChange={(event) => setName(event.target.value)} placeholder="couriers" />
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
      {!dataset && (
        <label className="font-medium">
          Entries, one a line
          <textarea
            value={entries}
            onChange={(event) => setEntries(event.target.value)}
            rows={4}
            className={`mt-1 font-mono font-normal ${INPUT_STYLE}`}
          />
        </label>
      )}
      {error && <ErrorNotice error={error} />}
      {refused.length > 0 && <EntryReports entries={refused} />}
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
