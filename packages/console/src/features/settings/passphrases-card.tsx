import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { PassphraseInfo } from '@jadefence/contract';
import { useState, type FormEvent } from 'react';
import { service } from '../../api/client.js';
import { passphrasesQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';

/** The passphrases that rules require. */
export function PassphrasesCard({ passphrases }: { passphrases: readonly PassphraseInfo[] }) {
  const [name, setName] = useState('');
  const [passphrase, setPassphrase] = useState('');
  const client = useQueryClient();
  const onSettled = (): Promise<void> => client.invalidateQueries({ queryKey: passphrasesQuery.queryKey });
  const set = useMutation({
    mutationFn: () => service.setPassphrase(name, passphrase),
    onSuccess: () => setPassphrase(''),
    onSettled,
  });
  const remove = useMutation({ mutationFn: (text: string) => service.removePassphrase(text), onSettled });
  const error = set.error ?? remove.error;
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    set.mutate();
  };
  return (
    <Card title="Passphrases">
      <p className="px-4 pt-4 text-sm text-muted">
        Rules require a passphrase by its name. The service stores only a hash.
      </p>
      <ul>
        {passphrases.map(({ name: passphraseName, isSet, usedBy, changedBy, changedAt }) => (
          <li
            key={passphraseName}
            className="flex flex-wrap items-center justify-between gap-3 border-b border-line px-4 py-2 text-sm"
          >
            <span>
              <span className="font-mono">{passphraseName}</span>{' '}
              {isSet ? `set by ${changedBy} on ${changedAt?.slice(0, 10)}` : <strong>not set</strong>}
              <span className="text-muted">
                {usedBy.length > 0 ? `, used by ${usedBy.join(', ')}` : ', used by no rule'}
              </span>
            </span>
            {isSet && (
              <Button
                size="small"
                aria-label={`Delete passphrase ${passphraseName}`}
                onClick={() => remove.mutate(passphraseName)}
              >
                Delete
              </Button>
            )}
          </li>
        ))}
      </ul>
      <form onSubmit={submit} className="grid gap-3 p-4 text-sm">
        <div className="flex flex-wrap items-end gap-2">
          <TextField label="Name" value={name} required onChange={(event) => setName(event.target.value)} />
          <TextField
            label="Passphrase"
            type="password"
            autoComplete="new-password"
            value={passphrase}
            required
            minLength={8}
            onChange={(event) => setPassphrase(event.target.value)}
          />
          <Button type="submit" disabled={set.isPending}>
            Set passphrase
          </Button>
        </div>
        {error && <ErrorNotice error={error} />}
      </form>
    </Card>
  );
}
