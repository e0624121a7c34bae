import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { ReplayPolicy, Log, Revision } from '@jadefence/contract';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { service } from '../../api/client.js';
import { LIST_ROWS, comparisonsQuery, logsQuery, replaysQuery, revisionsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { Card, EmptyState, PageHeading } from '../../components/layout.js';
import { ListPager } from '../../components/pager.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { countOf, formatCount } from '../../format.js';
import { policyName } from '../evidence/policy-name.js';

/** Choosing what to compare, and the comparisons there are. */
export function ComparePage() {
  const [offset, setOffset] = useState(0);
  const logs = useQuery(logsQuery());
  const revisions = useQuery(revisionsQuery());
  const comparisons = useQuery({
    ...comparisonsQuery(offset),
    refetchInterval: (query) =>
      query.state.data?.some(({ state }) => state === 'waiting' || state === 'running') ? 1000 : false,
  });
  return (
    <>
      <PageHeading title="Compare">
        The same log judged twice: which requests change, from what to what, and because of which rules.
      </PageHeading>
      <Loaded query={logs}>
        {(allLogs) => (
          <Loaded query={revisions}>
            {(allRevisions) =>
              allLogs.length === 0 ? (
                <EmptyState title="No logs yet">
                  Bring one in under{' '}
                  <Link to="/logs" className="text-jade underline">
                    Logs
                  </Link>
                  .
                </EmptyState>
              ) : allRevisions.length === 0 ? (
                <EmptyState title="Nothing is published yet">
                  A comparison needs a revision. Publish the draft under{' '}
                  <Link to="/revisions" className="text-jade underline">
                    Revisions
                  </Link>
                  .
                </EmptyState>
              ) : (
                <StartForm logs={allLogs} revisions={allRevisions} />
              )
            }
          </Loaded>
        )}
      </Loaded>
      <Loaded query={comparisons}>
        {(list) =>
          (list.length > 0 || offset > 0) && (
            <Card title="Comparisons">
              <ul>
                {list.map(({ id, logName, before, after, state, requestsDone, requests }) => (
                  <li
                    key={id}
                    className="flex flex-wrap items-center justify-between gap-3 border-b border-line px-4 py-3 last:border-b-0"
                  >
                    <Link
                      to={`/comparisons/${id}`}
                      className="font-medium text-jade underline-offset-2 hover:underline"
                    >
                      {logName}: {policyName(before)}, then {policyName(after)}
                    </Link>
                    <span className="text-sm text-muted">
                      {state === 'done'
                        ? countOf(after.requests, 'request')
                        : `${state}: ${formatCount(requestsDone)} of ${formatCount(requests)}`}
                    </span>
                  </li>
                ))}
              </ul>
              <ListPager offset={offset} numShown={list.length} pageRows={LIST_ROWS} onOffset={setOffset} />
            </Card>
          )
        }
      </Loaded>
    </>
  );
}

/** The log that was replayed last is proposed. */
function StartForm({ logs, revisions }: { logs: readonly Log[]; revisions: readonly Revision[] }) {
  const [chosen, setChosen] = useState<number>();
  const replayed = (useQuery(replaysQuery()).data ?? []).find((replay) => logs.some(({ id }) => id === replay.logId));
  const logId = chosen ?? replayed?.logId ?? logs[0]!.id;
  const [before, setBefore] = useState<ReplayPolicy>(revisions[0]!.number);
  const [after, setAfter] = useState<ReplayPolicy>('draft');
  const queryClient = useQueryClient();
  const navigate = useNavigate();
  const start = useMutation({
    mutationFn: () => service.startComparison({ logId, before, after }),
    onSuccess: async ({ id }) => {
      await queryClient.invalidateQueries({ queryKey: ['comparisons'] });
      await navigate(`/comparisons/${id}`);
    },
  });
  const sides = [
    { value: 'draft' as ReplayPolicy, text: 'the draft' },
    ...revisions.map(({ number }, index) => ({
      value: number as ReplayPolicy,
      text: `revision ${number}${index === 0 ? ', published' : ''}`,
    })),
  ];
  return (
    <Card>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          start.mutate();
        }}
        className="flex flex-wrap items-end gap-4 p-4"
      >
        <Choice
          label="Log"
          value={logId}
          options={logs.map(({ id, name }) => ({ value: id, text: name }))}
          onChange={setChosen}
        />
        <Choice label="before" value={before} options={sides} onChange={setBefore} />
        <Choice label="after" value={after} options={sides} onChange={setAfter} />
        <Button look="primary" type="submit" disabled={start.isPending}>
          Compare
        </Button>
        {start.error && <ErrorNotice error={start.error} />}
      </form>
    </Card>
  );
}
