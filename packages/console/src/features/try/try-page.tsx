import { useMutation, useQuery } from '@tanstack/react-query';
import { ServiceError, type ReplayPolicy, type TryRequest } from '@jadefence/contract';
import { useState, type FormEvent } from 'react';
import { useAddressState } from '../../address-state.js';
import { service } from '../../api/client.js';
import { draftQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { ExplanationSteps } from '../../components/explanation-steps.js';
import { Card, PageHeading } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';

/** One synthetic request, judged by what is published or by the draft. */
export function TryPage() {
  const published = useQuery(draftQuery).data?.published;
  const { get } = useAddressState();
  const [against, setAgainst] = useState<ReplayPolicy>();
  const attempt = useMutation({ mutationFn: (input: TryRequest) => service.tryRequest(input) });
  const submit = (event: FormEvent<HTMLFormElement>): void => {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    attempt.mutate({
      client: String(form.get('client')),
      url: String(form.get('url')),
      method: String(form.get('method')) || undefined,
      against: against ?? published ?? 'draft',
    });
  };
  const problem = attempt.error instanceof ServiceError ? attempt.error.problem : undefined;
  const problemOf = (part: string): string | undefined =>
    problem?.code === 'bad-request' ? problem.errors?.find(({ place }) => place === part)?.message : undefined;
  return (
    <>
      <PageHeading
        title="Try"
        aside={
          published && (
            <Choice
              label="Judged by"
              value={against ?? published}
              options={[
                { value: published, text: `revision ${published}, which is published` },
                { value: 'draft', text: 'the draft' },
              ]}
              onChange={(replayPolicy) => setAgainst(replayPolicy)}
            />
          )
        }
      >
        Test a request, from a client that should pass and from one that should not, and read what decides it.
      </PageHeading>
      <Card>
        <form onSubmit={submit} className="grid items-start gap-4 p-4 sm:grid-cols-[1fr_2fr_8rem_auto]">
          <TextField
            label="Client"
            name="client"
            required
            defaultValue={get('client')}
            placeholder="198.18.4.7"
            problem={problemOf('client')}
          />
          <TextField
            label="URL"
            name="url"
            required
            defaultValue={get('url')}
            placeholder="https://tickets.larkmoor.example/login"
            problem={problemOf('url')}
          />
          <TextField
            label="Method"
            name="method"
            defaultValue={get('method')}
            placeholder="GET"
            problem={problemOf('method')}
          />
          <Button look="primary" type="submit" disabled={attempt.isPending} className="sm:mt-6">
            Try request
          </Button>
        </form>
      </Card>
      {attempt.error && problem?.code !== 'bad-request' && <ErrorNotice error={attempt.error} />}
      {attempt.data && (
        <Card>
          <div className="px-4 pb-6">
            <ExplanationSteps explanation={attempt.data} />
          </div>
        </Card>
      )}
    </>
  );
}
