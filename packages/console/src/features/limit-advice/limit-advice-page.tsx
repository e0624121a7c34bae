import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { LimitAdviceRequest, Log } from '@jadefence/contract';
import { Link } from 'react-router';
import { useAddressState, wholeOf } from '../../address-state.js';
import { service } from '../../api/client.js';
import { draftQuery, logsQuery } from '../../api/queries.js';
import { EmptyState, PageHeading } from '../../components/layout.js';
import { ErrorNotice, Loaded, Loading } from '../../components/loaded.js';
import { AdviceForm, type AdviceValues } from './advice-form.js';
import { AdviceView } from './advice-view.js';

/** Which count is right for a limit: what each would stop in a log. */
export function LimitAdvicePage() {
  const logs = useQuery(logsQuery());
  return (
    <>
      <PageHeading title="Limit advice">
        How many requests each client makes within a window, and whom a limit of so many would stop. The log is gone
        through with the rules of the draft.
      </PageHeading>
      <Loaded query={logs}>
        {(all) =>
          all.length === 0 ? (
            <EmptyState title="No logs yet">
              Bring one in under{' '}
              <Link to="/logs" className="text-jade underline">
                Logs
              </Link>
              .
            </EmptyState>
          ) : (
            <Advice logs={all} />
          )
        }
      </Loaded>
    </>
  );
}

const KEYS = ['rule', 'by', 'within', 'when', 'gate', 'spare'] as const;

function Advice({ logs }: { logs: readonly Log[] }) {
  const { get, set } = useAddressState();
  const draft = useQuery(draftQuery);
  const logId = wholeOf(get('log')) ?? logs[0]!.id;
  const values = Object.fromEntries(KEYS.map((key) => [key, get(key) ?? ''])) as unknown as AdviceValues;
  const request = requestOf(values);
  const advice = useQuery({
    queryKey: ['logs', logId, 'limit-advice', request, draft.data?.snapshot],
    queryFn: ({ signal }) => service.limitAdvice(logId, request!, signal),
    enabled: request !== undefined && draft.data !== undefined,
    placeholderData: keepPreviousData,
    retry: false,
  });
  return (
    <>
      <AdviceForm
        key={JSON.stringify([logId, values])}
        logs={logs}
        logId={logId}
        values={values}
        fences={draft.data?.fences ?? []}
        gates={draft.data?.gates.map(({ name }) => name) ?? []}
        lists={draft.data?.lists.flatMap(({ name, kind }) => (kind === 'addresses' ? [name] : [])) ?? []}
        onSubmit={(chosen, log) => set({ log, ...chosen })}
      />
      {request && !advice.data && !advice.error && <Loading />}
      {request && advice.error && <ErrorNotice error={advice.error} />}
      {request && advice.data && !advice.error && (
        <div className={advice.isPlaceholderData ? 'opacity-60' : ''}>
          <AdviceView
            key={JSON.stringify([logId, request])}
            advice={advice.data}
            limit={limitOf(values.rule, draft.data?.fences ?? [])}
          />
        </div>
      )}
    </>
  );
}

/** The rule that a count can be written into, with its text. */
function limitOf(id: string, fences: readonly { name: string; rules: readonly { name: string; text: string }[] }[]) {
  const [fence = '', rule = ''] = id.split('/');
  const text = fences.find(({ name }) => name === fence)?.rules.find(({ name }) => name === rule)?.text;
  return text === undefined ? undefined : { fence, rule, text };
}

/** What is requested, where enough is chosen. */
function requestOf({ rule, by, within, when, gate, spare }: AdviceValues): LimitAdviceRequest | undefined {
  const spared = spare === '' ? {} : { spare };
  if (rule !== '') return { rule, ...spared };
  if (by === '' || within === '') return undefined;
  return { by, within, ...(when === '' ? {} : { when }), ...(gate === '' ? {} : { gate }), ...spared };
}
