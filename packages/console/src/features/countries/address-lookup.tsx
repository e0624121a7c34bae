import { useQuery } from '@tanstack/react-query';
import type { AddressLookup } from '@jadefence/contract';
import { useState, type FormEvent } from 'react';
import { service } from '../../api/client.js';
import { Button } from '../../components/button.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';

/** Looks up an address or a name: its country, the evidence, and the affected rules. */
export function AddressLookupCard() {
  const [requested, setRequested] = useState('');
  const found = useQuery({
    queryKey: ['reference', 'lookup country', requested],
    queryFn: () => service.lookupCountry(requested),
    enabled: requested !== '',
    retry: false,
  });
  const lookup = (event: FormEvent<HTMLFormElement>): void => {
    event.preventDefault();
    setRequested(String(new FormData(event.currentTarget).get('address')).trim());
  };
  return (
    <Card title="Country lookup">
      <form onSubmit={lookup} className="grid gap-3 p-4 text-sm">
        <div className="flex items-end gap-2">
          <TextField
            label="Address or name"
            name="address"
            required
            placeholder="198.18.4.7 or shop.example"
            className="grow"
          />
          <Button type="submit">Look up</Button>
        </div>
        {found.error && <ErrorNotice error={found.error} />}
        {found.data?.addresses.map((address) => (
          <Answer key={address.address} answer={address} isAvailable={found.data.unavailable === undefined} />
        ))}
        {found.data?.unavailable && (
          <div role="alert" className="rounded-lg bg-soft-limited px-3 py-2 text-limited">
            <p>Lists, gates and rules cannot be shown, because the draft has errors:</p>
            <ul className="mt-1 grid gap-1">
              {found.data.unavailable.map((error) => (
                <li key={error} className="font-mono text-xs">
                  {error}
                </li>
              ))}
            </ul>
          </div>
        )}
      </form>
    </Card>
  );
}

function Answer({ answer, isAvailable }: { answer: AddressLookup; isAvailable: boolean }) {
  const { address, country, countryName, evidence, lists, gates, rules } = answer;
  return (
    <div role="status" className="rounded-lg bg-sunken p-3">
      <p>
        <span className="font-mono">{address}</span> is in{' '}
        <strong>{country === countryName ? country : `${countryName} (${country})`}</strong>: {evidence}.
      </p>
      <ul className="mt-2 grid gap-1">
        {lists.map(({ list, entry, through }) => (
          <li key={list}>
            In the list <span className="font-mono">{[list, ...through].join(' > ')}</span>, as{' '}
            <span className="font-mono">{entry}</span>
          </li>
        ))}
        {gates.map((gate) => (
          <li key={gate}>
            Goes out at the gate <span className="font-mono">{gate}</span>
          </li>
        ))}
        {rules.map(({ rule, comparison, gates: at }) => (
          <li key={`${rule} ${comparison}`}>
            The rule <span className="font-mono">{rule}</span> sees it: {comparison}
            <span className="text-muted"> ({at.length > 0 ? `at ${at.join(', ')}` : 'at no gate'})</span>
          </li>
        ))}
        {isAvailable && lists.length + gates.length + rules.length === 0 && (
          <li className="text-muted">No list, gate or rule of the draft looks at it.</li>
        )}
      </ul>
    </div>
  );
}
