import { CheckCircleIcon, XCircleIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { useAddressState } from '../../address-state.js';
import { useEdit } from '../../api/edit.js';
import { expectationsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card, EmptyState, PageHeading } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';

/** Requests with the outcome that must come out; all of them are run before publishing. */
export function ExpectationsPage() {
  const results = useQuery(expectationsQuery);
  const proposed = useAddressState().get('text');
  const [text, setText] = useState(proposed ?? 'expect blocked from 198.18.90.7 to https://');
  const edit = useEdit(() => setText('expect allowed from 198.18.4.20 to https://'));
  const add = (event: FormEvent): void => {
    event.preventDefault();
    edit.mutate([{ kind: 'put', text, part: 'expect' }]);
  };
  const nameOf = (name: string): string => name.replace(/ because "(?:[^"\\]|\\.)*"$/, '');
  return (
    <>
      <PageHeading title="Expectations">
        State the expected outcome of a request, once from a client that should pass and once from one that should not.
        Nothing is published while one is not met.
      </PageHeading>
      <Card>
        <form onSubmit={add} className="grid gap-3 p-4">
          <div className="flex flex-wrap items-end gap-3">
            <TextField
              label="expect OUTCOME [by rule FENCE/NAME] from ADDRESS to URL [with FIELD VALUE, ...] [at TIME] [because …]"
              value={text}
              onChange={(event) => setText(event.target.value)}
              className="min-w-72 grow"
            />
            <Button type="submit" look="primary" disabled={edit.isPending}>
              Add expectation
            </Button>
          </div>
          {edit.error && <ErrorNotice error={edit.error} />}
        </form>
      </Card>
      <Loaded query={results}>
        {(all) =>
          all.length === 0 ? (
            <EmptyState title="No expectations yet">Add one above.</EmptyState>
          ) : (
            <Card>
              <ul>
                {all.map(({ text: one, sentence, isMet, failure }) => (
                  <li key={one} className="flex items-start gap-3 border-b border-line px-4 py-3 last:border-b-0">
                    {isMet ? (
                      <CheckCircleIcon aria-label="met" className="mt-0.5 size-5 shrink-0 text-allowed" />
                    ) : (
                      <XCircleIcon aria-label="not met" className="mt-0.5 size-5 shrink-0 text-blocked" />
                    )}
                    <div className="min-w-0 grow text-sm">
                      <p>{sentence}</p>
                      {failure && <p className="text-blocked">{failure}</p>}
                    </div>
                    <Button
                      size="small"
                      aria-label={`Remove: ${sentence}`}
                      onClick={() => edit.mutate([{ kind: 'remove', part: 'expect', name: nameOf(one) }])}
                    >
                      Remove
                    </Button>
                  </li>
                ))}
              </ul>
            </Card>
          )
        }
      </Loaded>
    </>
  );
}
