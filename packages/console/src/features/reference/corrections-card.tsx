import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { Correction } from '@jadefence/contract';
import { useState, type FormEvent } from 'react';
import { service } from '../../api/client.js';
import { correctionsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';

const TEXTS = {
  country: { key: 'Address, network or range', value: 'Country', keyHint: '198.18.3.0/24', valueHint: 'NO' },
  category: { key: 'Domain or URL', value: 'Categories', keyHint: 'shop.example/play', valueHint: 'games' },
};

/** What people know better than a table or feed. */
export function CorrectionsCard({ kind }: { kind: Correction['kind'] }) {
  const corrections = useQuery(correctionsQuery(kind)).data ?? [];
  const [key, setKey] = useState('');
  const [value, setValue] = useState('');
  const [reason, setReason] = useState('');
  const client = useQueryClient();
  const onSettled = (): Promise<void> => client.invalidateQueries({ queryKey: ['reference'] });
  const put = useMutation({
    mutationFn: () => service.putCorrection(kind, { key, value, ...(reason ? { reason } : {}) }),
    onSuccess: () => [setKey, setValue, setReason].forEach((reset) => reset('')),
    onSettled,
  });
  const remove = useMutation({ mutationFn: (text: string) => service.removeCorrection(kind, text), onSettled });
  const texts = TEXTS[kind];
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    put.mutate();
  };
  return (
    <Card title="Corrections">
      <ul>
        {corrections.map((correction) => (
          <li
            key={correction.key}
            className="flex flex-wrap items-center justify-between gap-3 border-b border-line px-4 py-2 text-sm"
          >
            <span>
              <span className="font-mono">{correction.key}</span> is <strong>{correction.value}</strong>
              {correction.reason && `, because ${correction.reason}`}{' '}
              <span className="text-muted">
                ({correction.changedBy}, {correction.changedAt.slice(0, 10)})
              </span>
            </span>
            <Button
              size="small"
              aria-label={`Take away the correction of ${correction.key}`}
              onClick={() => remove.mutate(correction.key)}
            >
              Remove
            </Button>
          </li>
        ))}
      </ul>
      <form onSubmit={submit} className="grid gap-3 p-4 text-sm">
        <div className="flex flex-wrap items-end gap-2">
          <TextField
            label={texts.key}
            value={key}
            required
            placeholder={texts.keyHint}
            onChange={(event) => setKey(event.target.value)}
            className="min-w-48 grow"
          />
          <TextField
            label={texts.value}
            value={value}
            required
            placeholder={texts.valueHint}
            onChange={(event) => setValue(event.target.value)}
            className="w-36"
          />
          <TextField
            label="Why"
            value={reason}
            onChange={(event) => setReason(event.target.value)}
            className="min-w-40 grow"
          />
          <Button type="submit" disabled={put.isPending}>
            Save correction
          </Button>
        </div>
        {(put.error ?? remove.error) && <ErrorNotice error={(put.error ?? remove.error)!} />}
      </form>
    </Card>
  );
}
