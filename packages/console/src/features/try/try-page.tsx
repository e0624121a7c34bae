import { useMutation, useQuery } from '@tanstack/react-query';
import { ServiceError, type ReplayPolicy, type Tried, type TryRequest } from '@jadefence/contract';
import { useState, type FormEvent } from 'react';
import { Link } from 'react-router';
import { useAddressState } from '../../address-state.js';
import { service } from '../../api/client.js';
import { draftQuery } from '../../api/queries.js';
import { Choice } from '../../components/choice.js';
import { ExplanationSteps } from '../../components/explanation-steps.js';
import { Card, PageHeading } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { OutcomeLabel } from '../../components/outcome.js';
import { expectationText } from '../evidence/next-steps.js';
import { PageFrame } from '../pages/page-preview.js';
import { RulesForCard } from './rules-for-card.js';
import { TryForm } from './try-form.js';
import { requestOf, valuesOf, type TryValues } from './try-values.js';
import { WhyNotForm } from './why-not.js';
import { useTries, type PastTry } from './past-tries.js';

/** What came of a request, and of the same from a control client. */
interface Answer {
  readonly values: TryValues;
  readonly tried: Tried;
  readonly control?: Tried;
}

/** One synthetic request, judged by what is published or by the draft, and the same from a control client. */
export function TryPage() {
  const published = useQuery(draftQuery).data?.published;
  const { get, set } = useAddressState();
  const [against, setAgainst] = useState<ReplayPolicy>();
  const [values, setValues] = useState(() => valuesOf(get));
  const tries = useTries();
  const attempt = useMutation({
    mutationFn: async (given: TryValues): Promise<Answer> => {
      // Both at the same time, so that nothing but the client differs.
      const at = requestOf(given).at ?? new Date().toISOString();
      const request = { ...requestOf(given), at, against: against ?? published ?? ('draft' as const) };
      const sent = (client: string): Promise<Tried> => service.tryRequest({ ...request, client });
      const control = given.control.trim();
      const [tried, other] = await Promise.all([sent(request.client), control === '' ? undefined : sent(control)]);
      return { values: given, tried, ...(other ? { control: other } : {}) };
    },
    onSuccess: ({ values: given, tried }) => {
      set({ client: given.client, url: given.url, method: given.method, control: given.control }, true);
      tries.add(given, tried.decision.outcome);
    },
  });
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    attempt.mutate(values);
  };
  const problem = attempt.error instanceof ServiceError ? attempt.error.problem : undefined;
  const problems = problem?.code === 'bad-request' ? (problem.errors ?? []) : [];
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
      <TryForm
        values={values}
        problems={problems}
        isPending={attempt.isPending}
        onChange={setValues}
        onSubmit={submit}
      />
      {attempt.error && problems.length === 0 && <ErrorNotice error={attempt.error} />}
      {attempt.data && <AnswerCards answer={attempt.data} />}
      {attempt.data && (
        <RulesForCard
          client={attempt.data.values.client.trim()}
          user={requestOf(attempt.data.values).user}
          against={attempt.data.tried.revision}
        />
      )}
      <History
        tries={tries.all}
        onAgain={(past) => {
          setValues(past.values);
          attempt.mutate(past.values);
        }}
        onClear={tries.clear}
      />
    </>
  );
}

function AnswerCards({ answer: { values, tried, control } }: { answer: Answer }) {
  if (!control) return <AnswerCard request={requestOf(values)} tried={tried} />;
  const controlRequest = { ...requestOf(values), client: values.control.trim() };
  return (
    <>
      <p role="status" className="mb-4 rounded-lg bg-sunken px-3 py-2 text-sm">
        {describePair(tried, control)}
      </p>
      <div className="grid items-start gap-x-4 lg:grid-cols-2">
        <AnswerCard request={requestOf(values)} tried={tried} />
        <AnswerCard request={controlRequest} tried={control} isControl />
      </div>
    </>
  );
}

/** Whether the rules make a difference between the two clients. */
function describePair(tried: Tried, control: Tried): string {
  const [one, other] = [tried.decision.outcome, control.decision.outcome];
  return one === other
    ? `Both clients get the same outcome, ${one}: the rules make no difference between them.`
    : `The client gets ${one}, the control ${other}.`;
}

function AnswerCard({ request, tried, isControl = false }: { request: TryRequest; tried: Tried; isControl?: boolean }) {
  const expectation = expectationText(request, tried.decision);
  return (
    <Card
      title={`${isControl ? 'Control' : 'Client'} ${request.client}`}
      aside={
        expectation && (
          <Link
            to={`/expectations?${new URLSearchParams({ text: expectation })}`}
            className="rounded-lg border border-line px-2 py-0.5 text-xs font-medium hover:bg-sunken"
          >
            Make an expectation
          </Link>
        )
      }
    >
      <div className="px-4 pb-6">
        <ExplanationSteps explanation={tried} />
        {tried.pageHtml !== undefined && (
          <details className="mt-4 text-sm">
            <summary className="cursor-pointer font-medium">The page that the client sees</summary>
            <div className="mt-2 overflow-hidden rounded-lg border border-line">
              <PageFrame name="of the answer" html={tried.pageHtml} />
            </div>
          </details>
        )}
      </div>
      {!isControl && <WhyNotForm request={request} against={tried.revision} />}
    </Card>
  );
}

function History({
  tries,
  onAgain,
  onClear,
}: {
  tries: readonly PastTry[];
  onAgain: (past: PastTry) => void;
  onClear: () => void;
}) {
  if (tries.length === 0) return null;
  return (
    <Card
      title="Earlier tries in this tab"
      aside={
        <button type="button" className="text-sm text-muted hover:underline" onClick={onClear}>
          Clear
        </button>
      }
    >
      <ul>
        {tries.map((past) => (
          <li key={JSON.stringify(past.values)} className="border-b border-line last:border-b-0">
            <button
              type="button"
              onClick={() => onAgain(past)}
              className="flex w-full flex-wrap items-center gap-x-4 gap-y-1 px-4 py-1.5 text-left text-sm hover:bg-sunken"
            >
              <span className="w-28">
                <OutcomeLabel outcome={past.outcome} />
              </span>
              <span className="font-mono text-xs">{past.values.client}</span>
              <span className="min-w-0 grow truncate font-mono text-xs">
                {past.values.method || 'GET'} {past.values.url}
              </span>
              {past.values.control && <span className="text-muted">control {past.values.control}</span>}
            </button>
          </li>
        ))}
      </ul>
    </Card>
  );
}
