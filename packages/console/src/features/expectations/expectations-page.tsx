import { CheckCircleIcon, PlusIcon, XCircleIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useAddressState } from '../../address-state.js';
import { useEdit } from '../../api/edit.js';
import { expectationsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card, EmptyState, PageHeading } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { ExpectationForm } from './expectation-form.js';

/** Requests with the outcome that must come out; all of them are run before publishing. */
export function ExpectationsPage() {
  const results = useQuery(expectationsQuery);
  const { get, set } = useAddressState();
  const proposed = get('text');
  const [edited, setEdited] = useState<{ given?: string; old?: string } | undefined>(
    proposed === undefined ? undefined : { given: proposed },
  );
  const edit = useEdit();
  const close = (): void => {
    setEdited(undefined);
    set({ text: undefined }, true);
  };
  const nameOf = (name: string): string => name.replace(/ because "(?:[^"\\]|\\.)*"$/, '');
  return (
    <>
      <PageHeading
        title="Expectations"
        aside={
          <Button look="primary" onClick={() => setEdited({})}>
            <PlusIcon aria-hidden className="size-4" />
            New expectation
          </Button>
        }
      >
        State the expected outcome of a request, once from a client that should pass and once from one that should not.
        Nothing is published while one is not met.
      </PageHeading>
      {edit.error && <ErrorNotice error={edit.error} />}
      {edited && <ExpectationForm {...edited} onClose={close} />}
      <Loaded query={results}>
        {(all) =>
          all.length === 0 ? (
            <EmptyState title="No expectations yet">
              Add one with the button above, or make one of a decision of a replay or a try.
            </EmptyState>
          ) : (
            <Card>
              <ul>
                {all.map(({ text: one, sentence, isMet, failure }) => (
                  <li
                    key={one}
                    className="flex flex-wrap items-start justify-end gap-x-3 gap-y-1 border-b border-line px-4 py-3 last:border-b-0"
                  >
                    {isMet ? (
                      <CheckCircleIcon aria-label="met" className="mt-0.5 size-5 shrink-0 text-allowed" />
                    ) : (
                      <XCircleIcon aria-label="not met" className="mt-0.5 size-5 shrink-0 text-blocked" />
                    )}
                    <div className="min-w-0 grow basis-64 text-sm wrap-anywhere">
                      <p>{sentence}</p>
                      {failure && <p className="text-blocked">{failure}</p>}
                    </div>
                    <Button
                      size="small"
                      aria-label={`Edit: ${sentence}`}
                      onClick={() => setEdited({ given: one, old: nameOf(one) })}
                    >
                      Edit
                    </Button>
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
