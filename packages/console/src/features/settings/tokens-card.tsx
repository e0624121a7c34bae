import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { ROLES, type AccessToken, type Role } from '@jadefence/contract';
import { useState, type FormEvent } from 'react';
import { service } from '../../api/client.js';
import { tokensQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { CheckField } from '../../components/check-field.js';
import { Choice } from '../../components/choice.js';
import { Card, WideTable } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';
import { formatMinute, zoneName } from '../../format.js';

/** The tokens by which scripts and pipelines use the service. */
export function TokensCard() {
  const tokens = useQuery(tokensQuery);
  return (
    <Card title="Tokens">
      <p className="px-4 pt-4 text-sm text-muted">
        A script uses the service with a token in place of a password. It may do what its scope allows, until it
        expires.
      </p>
      <Loaded query={tokens}>{(all) => all.length > 0 && <TokenTable tokens={all} />}</Loaded>
      <NewToken />
    </Card>
  );
}

function TokenTable({ tokens }: { tokens: readonly AccessToken[] }) {
  const client = useQueryClient();
  const revoke = useMutation({
    mutationFn: (id: number) => service.revokeToken(id),
    onSettled: () => client.invalidateQueries({ queryKey: tokensQuery.queryKey }),
  });
  return (
    <>
      <WideTable label="Tokens">
        <thead className="text-muted">
          <tr className="border-b border-line">
            {['name', 'user', 'scope', 'expires', `last used (${zoneName()})`, ''].map((column) => (
              <th key={column} scope="col" className="px-4 py-2 font-medium">
                {column || <span className="sr-only">revoke</span>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {tokens.map(({ id, name, user, scope, unmask, expiresAt, lastUsedAt }) => (
            <tr key={id} className="border-b border-line last:border-b-0">
              <td className="px-4 py-1.5 font-medium">{name}</td>
              <td className="px-4 py-1.5">{user}</td>
              <td className="px-4 py-1.5">
                {scope}
                {unmask && ', true values'}
              </td>
              <td className="px-4 py-1.5">{expiresAt?.slice(0, 10) ?? 'never'}</td>
              <td className="px-4 py-1.5">{lastUsedAt ? formatMinute(lastUsedAt) : 'never'}</td>
              <td className="px-4 py-1.5 text-right">
                <Button
                  size="small"
                  aria-label={`Revoke token ${name}`}
                  disabled={revoke.isPending}
                  onClick={() => revoke.mutate(id)}
                >
                  Revoke
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </WideTable>
      {revoke.error && <ErrorNotice error={revoke.error} />}
    </>
  );
}

function NewToken() {
  const client = useQueryClient();
  const [name, setName] = useState('');
  const [scope, setScope] = useState<Role>('viewer');
  const [days, setDays] = useState('90');
  const [isUnmasked, setUnmasked] = useState(false);
  const create = useMutation({
    mutationFn: () =>
      service.createTokenFor({ name: name.trim(), scope, expiresInDays: Number(days), unmask: isUnmasked }),
    onSuccess: () => setName(''),
    onSettled: () => client.invalidateQueries({ queryKey: tokensQuery.queryKey }),
  });
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    create.mutate();
  };
  return (
    <form onSubmit={submit} className="grid gap-3 p-4 text-sm">
      <div className="flex flex-wrap items-end gap-3">
        <TextField
          label="What the token is for"
          required
          maxLength={100}
          value={name}
          placeholder="nightly pipeline"
          onChange={(event) => setName(event.target.value)}
        />
        <TextField
          label="Days until it expires"
          type="number"
          required
          min={1}
          max={3650}
          value={days}
          onChange={(event) => setDays(event.target.value)}
        />
        <Choice
          label="Scope"
          value={scope}
          options={ROLES.map((role) => ({ value: role, text: role }))}
          onChange={setScope}
        />
        <CheckField label="True values where fields are masked" isOn={isUnmasked} onChange={setUnmasked} />
        <Button type="submit" disabled={create.isPending}>
          Create token
        </Button>
      </div>
      {create.data && (
        <p role="status" className="rounded-lg bg-jade-soft px-3 py-2">
          Token “{create.data.name}”, shown only this once:{' '}
          <code className="font-mono break-all select-all">{create.data.token}</code>
        </p>
      )}
      {create.error && <ErrorNotice error={create.error} />}
    </form>
  );
}
