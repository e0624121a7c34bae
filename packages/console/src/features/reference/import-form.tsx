import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { DatasetInfo, ServiceClient } from '@jadefence/contract';
import { useState, type FormEvent, type ReactNode } from 'react';
import { service, uploadDataset } from '../../api/client.js';
import { Button } from '../../components/button.js';
import { ErrorNotice } from '../../components/loaded.js';
import { countOf, formatCount } from '../../format.js';
import { EffectSentence } from './effect-sentence.js';

type Query = Parameters<ServiceClient['importDataset']>[0];

/** Sends a file as a dataset, waits for its replay, and reports what it holds and what it changes. */
export function ImportForm({
  label,
  queryFor,
  children,
}: {
  label: string;
  /** What is sent with the file; undefined if something is missing. */
  queryFor: (file: File) => Query | undefined;
  children?: ReactNode;
}) {
  const [file, setFile] = useState<File>();
  const [share, setShare] = useState(0);
  const client = useQueryClient();
  const send = useMutation({
    mutationFn: async ({ chosen, query }: { chosen: File; query: Query }) => {
      const sent = await uploadDataset(chosen, query, setShare);
      return service.settleDataset(sent.id);
    },
    onSettled: () => client.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'me' }),
  });
  const query = file && queryFor(file);
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    setShare(0);
    if (file && query) send.mutate({ chosen: file, query });
  };
  return (
    <form onSubmit={submit} className="grid gap-3 p-4 text-sm">
      <label className="font-medium">
        {label}
        <input
          type="file"
          onChange={(event) => {
            setFile(event.target.files?.[0]);
            send.reset();
          }}
          className="mt-1 block w-full font-normal file:mr-3 file:rounded-lg file:border-0 file:bg-sunken file:px-3 file:py-1.5 file:text-ink"
        />
      </label>
      {children}
      {send.isPending && (
        <label>
          {share < 1 ? `${Math.round(share * 100)}% is sent` : 'All is sent; it is read, and the latest log replayed'}
          <progress value={share < 1 ? share : undefined} max={1} className="mt-1 block h-2 w-full accent-jade" />
        </label>
      )}
      {send.error && <ErrorNotice error={send.error} />}
      {send.data && <Imported dataset={send.data} />}
      <div>
        <Button look="primary" type="submit" disabled={!query || send.isPending}>
          Import
        </Button>
      </div>
    </form>
  );
}

const SHOWN_PROBLEMS = 8;

function Imported({ dataset }: { dataset: DatasetInfo }) {
  const { name, numEntries, numRejected, problems, renamed = {}, numOwnNames = 0, isActive, waitsFor } = dataset;
  return (
    <div role="status" className="grid gap-1 rounded-lg bg-sunken p-3">
      <p className="font-medium">
        {name} with {countOf(numEntries, 'entry', 'entries')} {isActive ? 'is active now.' : 'waits for a yes.'}
      </p>
      {waitsFor && <p>{waitsFor} Confirm it in the table of imports.</p>}
      <EffectSentence effect={dataset.effect} />
      {numRejected > 0 && (
        <p>
          {formatCount(numRejected)} {numRejected === 1 ? 'line was' : 'lines were'} left out.
        </p>
      )}
      {numOwnNames > 0 && (
        <p>
          {countOf(numOwnNames, 'name', 'names')} without a dot, such as localhost, {numOwnNames === 1 ? 'was' : 'were'}{' '}
          left out.
        </p>
      )}
      <ul className="font-mono text-xs">
        {problems.slice(0, SHOWN_PROBLEMS).map(({ file, line, message }) => (
          <li key={`${file}:${line}:${message}`}>
            {file && `${file} `}
            {line > 0 && `line ${line}: `}
            {message}
          </li>
        ))}
      </ul>
      {Object.entries(renamed).map(([from, to]) => (
        <p key={from}>
          “{from}” is called {to} here.
        </p>
      ))}
    </div>
  );
}
