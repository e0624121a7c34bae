import { useMutation } from '@tanstack/react-query';
import type { Identified } from '@jadefence/core/explain';
import type { SyntheticFlow } from '@jadefence/core/request';
import { useState, type FormEvent } from 'react';
import { service } from '../../api/client.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';

const UNKNOWN_VALUE = 'unknown';
const TRANSPORTS = [UNKNOWN_VALUE, 'tcp', 'udp', 'icmp'];

/** Identifies the application of some traffic, with the signatures. */
export function IdentifyCard() {
  const [transport, setTransport] = useState(UNKNOWN_VALUE);
  const identify = useMutation({ mutationFn: (flow: SyntheticFlow) => service.identifyApplications(flow) });
  const submit = (event: FormEvent<HTMLFormElement>): void => {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    const settings = (name: string): string | undefined => String(form.get(name) ?? '').trim() || undefined;
    const port = settings('port');
    identify.mutate({
      host: settings('host'),
      url: settings('url'),
      payload: settings('payload'),
      ...(port === undefined ? {} : { port: Number(port) }),
      ...(transport === UNKNOWN_VALUE ? {} : { transport: transport as SyntheticFlow['transport'] }),
    });
  };
  return (
    <Card title="Identify application">
      <form onSubmit={submit} className="grid gap-3 p-4 text-sm">
        <div className="flex flex-wrap items-end gap-3">
          <TextField label="Host" name="host" placeholder="pictures.example" />
          <TextField label="URL" name="url" className="min-w-48 grow" />
          <TextField label="Port" name="port" type="number" min="0" max="65535" className="w-28" />
          <Choice
            label="Transport"
            value={transport}
            options={TRANSPORTS.map((value) => ({ value, text: value }))}
            onChange={setTransport}
          />
        </div>
        <TextField label="First bytes, as hexadecimal digits" name="payload" placeholder="16 03 01 02 00" />
        {identify.error && <ErrorNotice error={identify.error} />}
        {identify.data && <Answer identified={identify.data} />}
        <div>
          <Button type="submit" disabled={identify.isPending}>
            Identify
          </Button>
        </div>
      </form>
    </Card>
  );
}

function Answer({ identified: { certain, undecided, signatures } }: { identified: Identified }) {
  return (
    <div role="status" className="rounded-lg bg-sunken p-3">
      <p>
        Recognised as <strong>{certain.join(', ') || 'nothing for certain'}</strong>.
      </p>
      {undecided.length > 0 && <p className="text-muted">It could still be {undecided.join(', ')}.</p>}
      <ul className="mt-2 grid gap-1">
        {signatures
          .filter(({ truth }) => truth === 'true')
          .map(({ application, signature }) => (
            <li key={`${application} ${signature}`}>
              {application}, because <span className="font-mono">{signature}</span>
            </li>
          ))}
      </ul>
    </div>
  );
}
