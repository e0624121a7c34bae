import { useMutation } from '@tanstack/react-query';
import type { Tried, TryRequest } from '@jadefence/contract';
import { useState, type FormEvent } from 'react';
import { service } from '../../api/client.js';
import { Button } from '../../components/button.js';
import { ErrorNotice } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';

/** What would have to be different so that a rule decides. */
export function WhyNotForm({ request, against }: { request: TryRequest; against: Tried['revision'] }) {
  const [rule, setRule] = useState('');
  const search = useMutation({
    mutationFn: () => service.tryRequest({ ...request, against: against ?? 'draft', whyNot: rule.trim() }),
  });
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    search.mutate();
  };
  return (
    <form onSubmit={submit} className="grid gap-2 border-t border-line px-4 py-3 text-sm">
      <div className="flex flex-wrap items-end gap-2">
        <TextField
          label="Why not this rule?"
          placeholder="fence/rule"
          value={rule}
          onChange={(event) => setRule(event.target.value)}
        />
        <Button type="submit" disabled={rule.trim() === '' || search.isPending}>
          Find out
        </Button>
      </div>
      {search.error && <ErrorNotice error={search.error} />}
      {search.data?.whyNot && <Changes found={search.data.whyNot} />}
    </form>
  );
}

function Changes({ found: { rule, answer, changes } }: { found: NonNullable<Tried['whyNot']> }) {
  const name = <span className="font-mono text-xs">{rule}</span>;
  if (answer === 'decides') return <p role="status">{name} decides already.</p>;
  if (answer === 'off') return <p role="status">{name} is off.</p>;
  if (answer === 'not-found')
    return <p role="status">No change of up to four fields was found that makes {name} decide.</p>;
  return (
    <div role="status">
      <p>{name} decides with:</p>
      <ul className="mt-1 list-inside list-disc">
        {changes.map(({ field, from, to }) => (
          <li key={field}>
            {field} <code className="font-mono text-xs wrap-anywhere">{to}</code>
            {from !== undefined && (
              <>
                {' '}
                instead of <code className="font-mono text-xs wrap-anywhere">{from}</code>
              </>
            )}
          </li>
        ))}
      </ul>
    </div>
  );
}
