import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/react';
import { ChevronRightIcon, PlusIcon, XMarkIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { draftQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { InstantField } from '../../components/instant-field.js';
import { Card } from '../../components/layout.js';
import { TextField } from '../../components/text-field.js';
import { readPasted } from './pasted-request.js';
import type { TryValues } from './try-values.js';

interface Props {
  values: TryValues;
  /** By the part of the request. */
  problems: readonly { readonly place: string; readonly message: string }[];
  isPending: boolean;
  onChange: (values: TryValues) => void;
  onSubmit: (event: FormEvent) => void;
}

/** All parts of a synthetic request. */
export function TryForm({ values, problems, isPending, onChange, onSubmit }: Props) {
  const set = (change: Partial<TryValues>): void => onChange({ ...values, ...change });
  const field = (part: 'client' | 'url' | 'method') => ({
    value: values[part],
    problem: problems.find(({ place }) => place === part)?.message,
    onChange: (event: { target: { value: string } }) => set({ [part]: event.target.value }),
  });
  const others = problems.filter(({ place }) => !['client', 'url', 'method'].includes(place));
  return (
    <Card>
      <form onSubmit={onSubmit} className="grid gap-4 p-4">
        <div className="grid items-start gap-4 sm:grid-cols-[1fr_2fr_7rem_1fr_auto]">
          <TextField label="Client" required placeholder="198.18.4.7" {...field('client')} />
          <TextField label="URL" required placeholder="https://tickets.larkmoor.example/login" {...field('url')} />
          <TextField label="Method" placeholder="GET" {...field('method')} />
          <TextField
            label="Control (optional)"
            placeholder="another address"
            value={values.control}
            onChange={(event) => set({ control: event.target.value })}
          />
          <Button look="primary" type="submit" disabled={isPending} className="sm:mt-6">
            Try request
          </Button>
        </div>
        {others.map(({ place, message }) => (
          <p key={place} role="alert" className="text-sm text-blocked">
            {message}
          </p>
        ))}
        <Disclosure defaultOpen={hasMore(values)}>
          <DisclosureButton className="group flex items-center gap-1 justify-self-start text-sm font-medium">
            <ChevronRightIcon aria-hidden className="size-4 transition-transform group-data-open:rotate-90" />
            More of the request: time, gate, user, headers, or paste one
          </DisclosureButton>
          <DisclosurePanel className="grid gap-4">
            <More values={values} set={set} />
          </DisclosurePanel>
        </Disclosure>
      </form>
    </Card>
  );
}

function hasMore({ atUnixMs, gate, user, peer, headers }: TryValues): boolean {
  return atUnixMs !== undefined || gate + user + peer !== '' || headers.length > 0;
}

function More({ values, set }: { values: TryValues; set: (change: Partial<TryValues>) => void }) {
  const gates = useQuery(draftQuery).data?.gates ?? [];
  return (
    <>
      <PasteField onRead={({ url, method = '', headers }) => set({ url, method, headers })} />
      <div className="grid items-end gap-4 sm:grid-cols-3">
        <InstantField
          label="Time; now where empty"
          value={values.atUnixMs}
          onChange={(atUnixMs) => set({ atUnixMs })}
        />
        <TextField
          label="User who is signed in"
          value={values.user}
          onChange={(event) => set({ user: event.target.value })}
        />
        <TextField
          label="Peer, where it is not the client"
          placeholder="address of a proxy"
          value={values.peer}
          onChange={(event) => set({ peer: event.target.value })}
        />
      </div>
      <Choice
        label="Judged at"
        value={values.gate}
        options={[
          { value: '', text: 'the gate that covers it' },
          ...gates.map(({ name }) => ({ value: name, text: `gate ${name}` })),
        ]}
        onChange={(gate) => set({ gate })}
      />
      <Headers headers={values.headers} onChange={(headers) => set({ headers })} />
    </>
  );
}

function PasteField({ onRead }: { onRead: (request: ReturnType<typeof readPasted>) => void }) {
  const [problem, setProblem] = useState<string>();
  const [text, setText] = useState('');
  const read = (pasted: string): void => {
    setText(pasted);
    setProblem(undefined);
    if (pasted.trim() === '') return;
    try {
      onRead(readPasted(pasted));
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  return (
    <label className="text-sm">
      <span className="font-medium">Paste a request: an address, a curl command line, or a HAR entry</span>
      <textarea
        rows={2}
        value={text}
        onChange={(event) => read(event.target.value)}
        className="mt-1 w-full rounded-lg border border-line bg-ground px-3 py-1.5 font-mono text-xs"
      />
      {problem && (
        <span role="alert" className="text-blocked">
          {problem}
        </span>
      )}
    </label>
  );
}

function Headers({
  headers,
  onChange,
}: {
  headers: TryValues['headers'];
  onChange: (headers: TryValues['headers']) => void;
}) {
  const change = (at: number, part: Partial<TryValues['headers'][number]>): void =>
    onChange(headers.map((header, index) => (index === at ? { ...header, ...part } : header)));
  return (
    <fieldset className="grid gap-2">
      <legend className="text-sm font-medium">Headers</legend>
      {headers.map(({ name, value }, at) => (
        <div key={at} className="grid grid-cols-[1fr_2fr_auto] items-end gap-2">
          <TextField
            label={`Name of header ${at + 1}`}
            value={name}
            onChange={(event) => change(at, { name: event.target.value })}
          />
          <TextField
            label={`Value of header ${at + 1}`}
            value={value}
            onChange={(event) => change(at, { value: event.target.value })}
          />
          <Button
            size="small"
            aria-label={`Remove header ${at + 1}`}
            onClick={() => onChange(headers.filter((_, index) => index !== at))}
          >
            <XMarkIcon aria-hidden className="size-4" />
          </Button>
        </div>
      ))}
      <Button
        size="small"
        className="justify-self-start"
        onClick={() => onChange([...headers, { name: '', value: '' }])}
      >
        <PlusIcon aria-hidden className="size-4" />
        Add header
      </Button>
    </fieldset>
  );
}
