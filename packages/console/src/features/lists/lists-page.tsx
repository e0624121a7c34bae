import { XMarkIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import type { ListInfo } from '@jadefence/contract';
import type { ListContents } from '@jadefence/core/edit';
import { countEntries } from '@jadefence/core/language';
import { DATASET_KINDS, type DatasetKind } from '@jadefence/core/reference';
import { useState, type FormEvent } from 'react';
import { useAddressState } from '../../address-state.js';
import { useEdit } from '../../api/edit.js';
import { service } from '../../api/client.js';
import { listsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { Card, Command, EmptyState, PageHeading } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { INPUT_STYLE, TextField } from '../../components/text-field.js';
import { DatasetsCard } from '../reference/datasets-card.js';
import { ImportForm } from '../reference/import-form.js';
import { EntryReports, linesOf } from './entry-reports.js';
import { NewList } from './new-list.js';
import { formatMinute } from '../../format.js';

/** The lists of the draft: what is in them, where they are used, and whether a value is in one. */
export function ListsPage() {
  const lists = useQuery(listsQuery);
  const { get, set } = useAddressState();
  const chosen = get('list');
  const setChosen = (list: string | undefined): void => set({ list });
  return (
    <>
      <PageHeading title="Lists" aside={<NewList />}>
        Name a group once, and let rules name the group. A list can hold other lists of its kind.
      </PageHeading>
      <Loaded query={lists}>
        {(all) => {
          const shown = all.find(({ name }) => name === chosen) ?? all[0];
          if (!shown) return <EmptyState title="No lists yet">Create one with the button above.</EmptyState>;
          return (
            <div className="grid min-w-0 grid-cols-[minmax(0,1fr)] items-start gap-6 md:grid-cols-[18rem_minmax(0,1fr)]">
              <Card>
                <ul>
                  {all.map((list) => (
                    <li key={list.name} className="border-b border-line last:border-b-0">
                      <button
                        type="button"
                        aria-current={list === shown}
                        onClick={() => setChosen(list.name)}
                        className={`flex w-full items-baseline justify-between gap-2 px-4 py-2 text-left text-sm ${list === shown ? 'bg-jade-soft text-jade-strong' : 'hover:bg-sunken'}`}
                      >
                        <span className="font-mono">{list.name}</span>
                        <span className={list === shown ? '' : 'text-muted'}>
                          {countEntries(list.kind, list.dataset?.numEntries ?? list.entries.length)}
                        </span>
                      </button>
                    </li>
                  ))}
                </ul>
              </Card>
              <ListDetail key={shown.name} list={shown} onGone={() => setChosen(undefined)} onRenamed={setChosen} />
            </div>
          );
        }}
      </Loaded>
      <LargeLists />
    </>
  );
}

/** Entries that are too many to be written, or come from elsewhere. */
function LargeLists() {
  const [name, setName] = useState('');
  const [kind, setKind] = useState<DatasetKind>('domains');
  return (
    <>
      <Card title="Bring in the entries of a large list">
        <ImportForm
          label="One entry a line, a hosts file, or an archive of such files; also as gzip"
          queryFor={() => (name === '' ? undefined : { kind: 'list', name, listKind: kind })}
        >
          <div className="flex flex-wrap items-end gap-3">
            <TextField
              label="Name of the dataset"
              value={name}
              placeholder="tout-networks"
              onChange={(event) => setName(event.target.value)}
            />
            <Choice
              label="Holds"
              value={kind}
              options={DATASET_KINDS.map((value) => ({ value, text: value }))}
              onChange={setKind}
            />
          </div>
          <p className="text-muted">
            A list takes them with <Command>{`list NAME ${kind} from dataset ${name || 'NAME'}`}</Command>, or by “New
            list” above.
          </p>
        </ImportForm>
      </Card>
      <DatasetsCard kind="list" title="Datasets of lists" />
    </>
  );
}

function ListDetail({
  list,
  onGone,
  onRenamed,
}: {
  list: ListInfo;
  onGone: () => void;
  onRenamed: (name: string) => void;
}) {
  const remove = useEdit(onGone);
  const removeEntry = useEdit();
  return (
    <div>
      <Card
        title={
          <>
            {list.title ?? list.name} <span className="font-mono text-sm font-normal text-muted">{list.name}</span>
          </>
        }
        aside={
          <Button
            size="small"
            disabled={remove.isPending}
            onClick={() => remove.mutate([{ kind: 'remove', part: 'list', name: list.name }])}
          >
            Delete the list
          </Button>
        }
      >
        <div className="grid gap-3 p-4 text-sm">
          {remove.error && <ErrorNotice error={remove.error} />}
          <p className="text-muted">
            {list.usedBy.length > 0 ? `Used by ${list.usedBy.join(', ')}.` : 'Used nowhere.'}
            {list.file && ` Kept in ${list.file}.`}
            {list.dataset && ` Its entries are the dataset ${list.dataset.name}.`} Last changed{' '}
            {formatMinute(list.changedAt)} by {list.changedBy ?? 'unknown'}.
          </p>
          {removeEntry.error && <ErrorNotice error={removeEntry.error} />}
          {!list.dataset && (
            <Contents
              list={list}
              onRemove={
                list.file
                  ? undefined
                  : (entry) => removeEntry.mutate([{ kind: 'edit-list', list: list.name, add: [], remove: [entry] }])
              }
            />
          )}
        </div>
      </Card>
      <Card title="Rename everywhere">
        <RenameForm list={list} onDone={onRenamed} />
      </Card>
      <Card title="Check membership">
        <LookupForm list={list} />
      </Card>
      {!list.dataset && (
        <Card title="Add or remove many at once">
          <BulkForm list={list} />
        </Card>
      )}
    </div>
  );
}

/** @param onRemove takes an entry of the list itself out of it */
function Contents({ list, onRemove }: { list: ListContents; onRemove?: (entry: string) => void }) {
  return (
    <ul className="max-h-96 overflow-auto font-mono" aria-label={`Entries of ${list.name}`} tabIndex={0}>
      {list.entries.map((entry) => (
        <li key={entry.text}>
          {entry.text}
          {onRemove && (
            <button
              type="button"
              aria-label={`Remove ${entry.text} from ${list.name}`}
              onClick={() => onRemove(entry.text)}
              className="ml-2 rounded p-0.5 align-middle text-muted hover:bg-sunken"
            >
              <XMarkIcon aria-hidden className="size-4" />
            </button>
          )}
          {entry.contents && (
            <div className="ml-3 border-l-2 border-line pl-3">
              <Contents list={entry.contents} />
            </div>
          )}
        </li>
      ))}
      {list.exceptions.map((entry) => (
        <li key={entry.text} className="text-blocked">
          except {entry.text}
        </li>
      ))}
      {list.entries.length === 0 && <li className="font-sans text-muted">It is empty.</li>}
    </ul>
  );
}

function RenameForm({ list, onDone }: { list: ListInfo; onDone: (name: string) => void }) {
  const [to, setTo] = useState(list.name);
  const edit = useEdit(() => onDone(to));
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    edit.mutate([{ kind: 'rename', part: 'list', name: list.name, to }]);
  };
  return (
    <form onSubmit={submit} className="grid gap-3 p-4 text-sm">
      <div className="flex items-end gap-2">
        <TextField label="New name" value={to} onChange={(event) => setTo(event.target.value)} className="grow" />
        <Button type="submit" disabled={to === list.name || edit.isPending}>
          Rename
        </Button>
      </div>
      {edit.error && <ErrorNotice error={edit.error} />}
    </form>
  );
}

function LookupForm({ list }: { list: ListInfo }) {
  const [value, setValue] = useState('');
  const found = useQuery({
    queryKey: ['draft', 'look-up', list.name, value],
    queryFn: () => service.lookupInList(list.name, value),
    enabled: value !== '',
    retry: false,
  });
  const lookup = (event: FormEvent<HTMLFormElement>): void => {
    event.preventDefault();
    setValue(String(new FormData(event.currentTarget).get('value')).trim());
  };
  return (
    <form onSubmit={lookup} className="grid gap-3 p-4 text-sm">
      <div className="flex items-end gap-2">
        <TextField label="Value" name="value" required className="grow" />
        <Button type="submit">Look up</Button>
      </div>
      {found.error && <ErrorNotice error={found.error} />}
      {found.data && (
        <p role="status">
          {found.data.isIn
            ? `${found.data.value} is in ${[list.name, ...(found.data.through ?? [])].join(' > ')}, as ${found.data.entry}.`
            : `${found.data.value} is not in ${list.name}${found.data.takenOutBy ? `: ${found.data.takenOutBy} takes it out` : ''}.`}
        </p>
      )}
    </form>
  );
}

function BulkForm({ list }: { list: ListInfo }) {
  const [text, setText] = useState('');
  const edit = useEdit();
  const rows = linesOf(text);
  const submit = (add: readonly string[], remove: readonly string[]): void =>
    edit.mutate([{ kind: 'edit-list', list: list.name, add, remove }]);
  const isEmpty = text.trim() === '';
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3 p-4 text-sm">
      <label className="font-medium">
        Entries, one a line
        <textarea
          value={text}
          onChange={(event) => setText(event.target.value)}
          rows={5}
          className={`mt-1 font-mono font-normal ${INPUT_STYLE}`}
        />
      </label>
      <label className="text-muted">
        or a file of them{' '}
        <input
          type="file"
          accept=".txt,.csv,text/plain"
          className="max-w-full"
          onChange={(event) => void event.target.files?.[0]?.text().then(setText)}
        />
      </label>
      <div className="flex gap-2">
        <Button look="primary" disabled={isEmpty || edit.isPending} onClick={() => submit(rows, [])}>
          Add entries
        </Button>
        <Button disabled={isEmpty || edit.isPending} onClick={() => submit([], rows)}>
          Remove entries
        </Button>
      </div>
      {edit.error && <ErrorNotice error={edit.error} />}
      {edit.data && <EntryReports entries={edit.data.entries} />}
    </div>
  );
}
