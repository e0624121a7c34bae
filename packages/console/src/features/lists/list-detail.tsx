import { useQuery } from '@tanstack/react-query';
import type { ListInfo } from '@jadefence/contract';
import { useState, type FormEvent } from 'react';
import { service } from '../../api/client.js';
import { useEdit } from '../../api/edit.js';
import { entryOriginsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';
import { formatMinute } from '../../format.js';
import { BulkForm } from './bulk-form.js';
import { ListContentsTable } from './list-contents.js';

/** One list: what is in it, where it is used, and what can be done with it. */
export function ListDetail({
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
  const origins = useQuery({ ...entryOriginsQuery(list.name), enabled: !list.dataset }).data;
  return (
    <div>
      <Card
        title={
          <>
            {list.title ?? list.name}{' '}
            <span className="font-mono text-sm font-normal text-muted">
              {list.name}, {list.kind}
            </span>
            {list.isProtected && (
              <span className="rounded bg-jade-soft px-2 py-0.5 text-xs font-medium">protected</span>
            )}
          </>
        }
        aside={
          <div className="flex gap-2">
            {list.kind === 'addresses' && <ProtectButton list={list} />}
            <Button
              size="small"
              disabled={remove.isPending}
              onClick={() => remove.mutate([{ kind: 'remove', part: 'list', name: list.name }])}
            >
              Delete the list
            </Button>
          </div>
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
            <ListContentsTable
              list={list}
              origins={origins}
              onRemove={(line) => removeEntry.mutate([{ kind: 'edit-list', list: list.name, add: [], remove: [line] }])}
            />
          )}
        </div>
      </Card>
      {!list.dataset && (
        <Card title="Add or remove many at once">
          <BulkForm list={list} />
        </Card>
      )}
      <Card title="Check membership">
        <LookupForm list={list} />
      </Card>
      <Card title="Rename everywhere">
        <RenameForm list={list} onDone={onRenamed} />
      </Card>
    </div>
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

function ProtectButton({ list }: { list: ListInfo }) {
  const protect = useEdit();
  return (
    <>
      {protect.error && <ErrorNotice error={protect.error} />}
      <Button
        size="small"
        disabled={protect.isPending}
        title="A replay that stops a client of a protected list is reported first, and keeps from publishing"
        onClick={() => protect.mutate([{ kind: 'protect-list', list: list.name, isProtected: !list.isProtected }])}
      >
        {list.isProtected ? 'No longer protect its clients' : 'Protect its clients'}
      </Button>
    </>
  );
}
