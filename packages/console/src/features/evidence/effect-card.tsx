import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { ComparisonInfo, ComparisonResult, Draft } from '@jadefence/contract';
import { Link } from 'react-router';
import { service } from '../../api/client.js';
import { comparisonResultQuery, comparisonsQuery, draftQuery, logsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { countOf, formatCount, formatShare } from '../../format.js';

const POLL_MS = 1000;
const LINK = 'text-jade underline underline-offset-4 hover:text-jade-strong';

/** What publishing the draft now would change of the latest log, once both have judged it. */
export function EffectCard() {
  const draft = useQuery(draftQuery).data;
  const log = useQuery(logsQuery()).data?.[0];
  const comparisons = useQuery({
    ...comparisonsQuery(),
    refetchInterval: (query) => (query.state.data?.some(isUnderWay) ? POLL_MS : false),
  }).data;
  const client = useQueryClient();
  const start = useMutation({
    mutationFn: service.startComparison,
    onSettled: () => client.invalidateQueries({ queryKey: ['comparisons'] }),
  });
  if (!draft || !log || draft.published === null || !comparisons) return null;
  const { published } = draft;
  const comparison = comparisons.find((candidate) => candidate.logId === log.id && isOf(candidate, draft));
  return (
    <Card title="Effect on the latest log">
      <div className="grid gap-2 p-4 text-sm">
        {comparison ? (
          <Effect comparison={comparison} />
        ) : (
          <div className="flex flex-wrap items-center justify-between gap-3">
            <span>
              {log.name} has not been judged by revision {published} and by the draft as it is now.
            </span>
            <Button
              size="small"
              disabled={start.isPending}
              onClick={() => start.mutate({ logId: log.id, before: published, after: 'draft' })}
            >
              Compare them
            </Button>
          </div>
        )}
        {start.error && <ErrorNotice error={start.error} />}
      </div>
    </Card>
  );
}

/** Whether it compares what is published with the draft as it is now. */
function isOf({ before, after, state }: ComparisonInfo, draft: Draft): boolean {
  return (
    state !== 'failed' &&
    before.revision === draft.published &&
    after.revision === null &&
    after.folder === null &&
    after.snapshot === draft.snapshot
  );
}

function isUnderWay({ state }: ComparisonInfo): boolean {
  return state === 'waiting' || state === 'running';
}

function Effect({ comparison }: { comparison: ComparisonInfo }) {
  const isDone = comparison.state === 'done';
  const result = useQuery({ ...comparisonResultQuery(comparison.id), enabled: isDone }).data;
  if (!result)
    return (
      <p role="status">
        {comparison.logName}: {formatCount(comparison.requestsDone)} of {formatCount(comparison.requests)} judged …
      </p>
    );
  return <EffectText result={result} />;
}

function EffectText({ result: { id, logName, tally } }: { result: ComparisonResult }) {
  const changes = Object.entries(tally.matrix).flatMap(([from, row]) =>
    Object.entries(row).flatMap(([to, count]) => (from === to || count === 0 ? [] : [{ from, to, count }])),
  );
  return (
    <>
      <p>
        {tally.changed === 0
          ? `None of the ${countOf(tally.requests, 'request')} of ${logName} would change.`
          : `${formatCount(tally.changed)} of ${countOf(tally.requests, 'request')} of ${logName} (${formatShare(tally.changed / tally.requests)}) would change:`}
      </p>
      {changes.length > 0 && (
        <ul className="grid gap-0.5">
          {changes
            .sort((a, b) => b.count - a.count)
            .map(({ from, to, count }) => (
              <li key={`${from} ${to}`} className="tabular-nums">
                <strong>{formatCount(count)}</strong> from {from} to {to}
              </li>
            ))}
        </ul>
      )}
      <Link to={`/comparisons/${id}`} className={`justify-self-start ${LINK}`}>
        Which requests, and by which rules
      </Link>
    </>
  );
}
