import { useQuery } from '@tanstack/react-query';
import type { Draft } from '@jadefence/contract';
import { countEntries } from '@jadefence/core/language';
import { useState, type FormEvent } from 'react';
import { useAddressState } from '../../address-state.js';
import { draftQuery, listQuery, lookupQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card, EmptyState, PageHeading } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { INPUT_STYLE } from '../../components/text-field.js';
import { LargeLists } from './large-lists.js';
import { ListDetail } from './list-detail.js';
import { NewList } from './new-list.js';

/** The lists of the draft: what is in them, where they are used, and whether a value is in one. */
export function ListsPage() {
  const draft = useQuery(draftQuery);
  const { get, set } = useAddressState();
  const chosen = get('list');
  const setChosen = (list: string | undefined): void => set({ list });
  return (
    <>
      <PageHeading title="Lists" aside={<NewList />}>
        Name a group once, and let rules name the group. A list can hold other lists of its kind.
      </PageHeading>
      <Loaded query={draft}>
        {({ lists }) => {
          const shown = lists.find(({ name }) => name === chosen) ?? lists[0];
          if (!shown) return <EmptyState title="No lists yet">Create one with the button above.</EmptyState>;
          return (
            <div className="grid min-w-0 grid-cols-[minmax(0,1fr)] items-start gap-6 md:grid-cols-[18rem_minmax(0,1fr)]">
              <div>
                <SearchCard onChoose={setChosen} />
                <ListRail lists={lists} chosen={shown.name} onChoose={setChosen} />
              </div>
              <ChosenList
                key={shown.name}
                name={shown.name}
                onGone={() => setChosen(undefined)}
                onRenamed={setChosen}
              />
            </div>
          );
        }}
      </Loaded>
      <LargeLists />
    </>
  );
}

function ListRail({
  lists,
  chosen,
  onChoose,
}: {
  lists: Draft['lists'];
  chosen: string;
  onChoose: (name: string) => void;
}) {
  return (
    <Card>
      <ul>
        {lists.map(({ name, kind, numEntries = 0 }) => (
          <li key={name} className="border-b border-line last:border-b-0">
            <button
              type="button"
              aria-current={name === chosen}
              onClick={() => onChoose(name)}
              className={`flex w-full items-baseline justify-between gap-2 px-4 py-2 text-left text-sm ${name === chosen ? 'bg-jade-soft text-jade-strong' : 'hover:bg-sunken'}`}
            >
              <span className="truncate font-mono" title={name}>
                {name}
              </span>
              <span className={`shrink-0 ${name === chosen ? '' : 'text-muted'}`}>
                {countEntries(kind, numEntries)}
              </span>
            </button>
          </li>
        ))}
      </ul>
    </Card>
  );
}

function ChosenList({
  name,
  onGone,
  onRenamed,
}: {
  name: string;
  onGone: () => void;
  onRenamed: (name: string) => void;
}) {
  const list = useQuery(listQuery(name));
  return <Loaded query={list}>{(data) => <ListDetail list={data} onGone={onGone} onRenamed={onRenamed} />}</Loaded>;
}

/** Which lists hold a value, whatever their kind. */
function SearchCard({ onChoose }: { onChoose: (name: string) => void }) {
  const [value, setValue] = useState('');
  const lookups = useQuery(lookupQuery(value));
  const submit = (event: FormEvent<HTMLFormElement>): void => {
    event.preventDefault();
    setValue(String(new FormData(event.currentTarget).get('search')).trim());
  };
  return (
    <Card>
      <form role="search" onSubmit={submit} className="grid gap-2 p-3 text-sm">
        <div className="flex gap-2">
          <input
            name="search"
            required
            aria-label="Search all lists"
            placeholder="Which lists hold …"
            className={INPUT_STYLE}
          />
          <Button type="submit">Search</Button>
        </div>
        {lookups.error && <ErrorNotice error={lookups.error} />}
        {lookups.data && (
          <ul role="status" aria-label={`Lists that hold ${value}`} className="grid gap-1">
            {lookups.data.length === 0 && <li className="text-muted">No list holds {value}.</li>}
            {lookups.data.map(({ list, isIn, entry, takenOutBy, through = [] }) => (
              <li key={list}>
                <button
                  type="button"
                  onClick={() => onChoose(list)}
                  className="text-left text-jade underline-offset-2 hover:underline"
                >
                  {list}
                </button>{' '}
                <span className="text-muted">
                  {isIn
                    ? `${through.length > 0 ? `through ${through.join(' > ')}, ` : ''}as ${entry}`
                    : `not: ${takenOutBy} takes it out`}
                </span>
              </li>
            ))}
          </ul>
        )}
      </form>
    </Card>
  );
}
