import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { Outcome } from '@jadefence/core/language';
import type { Replay, ReplayProgress, ReplayRequest, ReplayResult } from '@jadefence/contract';
import { lazy, Suspense, useEffect, useRef, useState } from 'react';
import { useAddressState } from '../../address-state.js';
import { service } from '../../api/client.js';
import { replayQuery, replayResultQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card, Notice, PageHeading } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { OutcomeLabel } from '../../components/outcome.js';
import { countOf, formatCount, formatShare, formatTime, zoneName } from '../../format.js';
import { policyName } from '../evidence/policy-name.js';
import { BreakdownCard } from '../evidence/breakdown-card.js';
import { replayTitle } from '../evidence/replay-title.js';
import { useStartReplay } from '../evidence/start-replay.js';
import { DecisionTable } from './decision-table.js';
import { ProtectedNotice } from './protected-notice.js';
import { RecordedCard } from './recorded-card.js';
import { TrafficCard } from '../findings/traffic-card.js';
import { ReplayActions } from './replay-actions.js';
import { RulesTable } from './rules-table.js';
import { StoppedMap } from './stopped-map.js';

const OutcomeTimeline = lazy(() => import('./outcome-timeline.js'));
const ThrottleCard = lazy(() => import('./throttle-card.js'));

export function ReplayPage({ id }: { id: number }) {
  const replay = useQuery(replayQuery(id));
  return (
    <Loaded query={replay}>
      {(data) => (data.state === 'done' ? <DoneReplay id={id} /> : <RunningReplay replay={data} />)}
    </Loaded>
  );
}

/** Follows a replay by server-sent events until it is done. */
function RunningReplay({ replay }: { replay: Replay }) {
  const queryClient = useQueryClient();
  const [progress, setProgress] = useState<ReplayProgress>(replay);
  useEffect(() => {
    const stop = new AbortController();
    service
      .followReplay(replay.id, setProgress, stop.signal)
      .then(() => queryClient.invalidateQueries({ queryKey: ['replays'] }))
      .catch(() => undefined);
    return () => stop.abort();
  }, [queryClient, replay.id]);
  const cancel = useMutation({
    mutationFn: () => service.cancelReplay(replay.id),
    onSettled: () => queryClient.invalidateQueries({ queryKey: ['replays'] }),
  });
  if (progress.state === 'failed')
    return (
      <>
        <PageHeading title={replayTitle(replay)} aside={<ReplayActions replay={replay} />} />
        <ErrorNotice error={new Error(`Replay ${replay.id} failed: ${progress.failure}`)} />
      </>
    );
  const title = replayTitle(replay);
  if (progress.state === 'cancelled')
    return (
      <PageHeading title={title} aside={<ReplayActions replay={replay} />}>
        It was cancelled, and keeps nothing.
      </PageHeading>
    );
  return (
    <>
      <PageHeading title={title} aside={<Button onClick={() => cancel.mutate()}>Cancel replay</Button>}>
        {policyName(replay).replace(/^t/, 'T').replace(/^r/, 'R')} judges the log.
      </PageHeading>
      {cancel.error && <ErrorNotice error={cancel.error} />}
      <label className="block text-sm">
        {formatCount(progress.requestsDone)} of {countOf(progress.requests, 'request')}
        <progress max={progress.requests} value={progress.requestsDone} className="mt-2 block h-2 w-full accent-jade" />
      </label>
      {progress.partial && (
        <dl className="mt-6 grid grid-cols-2 gap-3 sm:grid-cols-4">
          {(Object.entries(progress.partial.outcomes) as [Outcome, number][]).map(([outcome, requests]) => (
            <div key={outcome} className="rounded-xl border border-line bg-surface px-4 py-3 shadow-sm">
              <dt>
                <OutcomeLabel outcome={outcome} />
              </dt>
              <dd className="mt-1 text-2xl font-semibold tabular-nums">{formatCount(requests)}</dd>
            </div>
          ))}
        </dl>
      )}
    </>
  );
}

function DoneReplay({ id }: { id: number }) {
  const result = useQuery(replayResultQuery(id));
  return <Loaded query={result}>{(data) => <Result result={data} />}</Loaded>;
}

function Result({ result }: { result: ReplayResult }) {
  const { summary, timeline } = result;
  const { set } = useAddressState();
  const startReplay = useStartReplay();
  const countries = summary.breakdowns.find(({ by }) => by === 'country');
  const decisions = useRef<HTMLDivElement>(null);
  const showDecisions = (filter: { where?: string; outcome?: Outcome }): void => {
    set({ where: undefined, outcome: undefined, offset: undefined, ...filter });
    decisions.current?.scrollIntoView({ block: 'start' });
  };
  return (
    <>
      <PageHeading title={replayTitle(result)} aside={<ReplayActions replay={result} />}>
        {countOf(summary.requests, 'request')} from {formatTime(summary.fromUnixMs)} to {formatTime(summary.toUnixMs)}{' '}
        {zoneName()}, simulated by the rules; the status in the log is shown separately.
      </PageHeading>
      <ProtectedNotice replayId={result.id} onFilter={(where) => showDecisions({ where })} />
      <OutcomeTiles summary={summary} onShow={(outcome) => showDecisions({ outcome })} />
      {summary.hostNotice && <Notice>{summary.hostNotice}</Notice>}
      {summary.uncoveredHosts.length > 0 && (
        <p className="mb-6 text-sm text-muted">
          No gate covers{' '}
          {summary.uncoveredHosts.map(({ host, requests }) => `${host} (${formatCount(requests)})`).join(', ')}
          {summary.otherUncovered &&
            ` and ${summary.otherUncovered.isExact ? '' : 'at least '}${formatCount(summary.otherUncovered.hosts)} more (${formatCount(summary.otherUncovered.requests)})`}
          .
        </p>
      )}
      <Card title="Requests over time">
        <Suspense fallback={<div className="h-64" />}>
          <OutcomeTimeline
            timeline={timeline}
            outcomes={summary.outcomes.map(({ outcome }) => outcome)}
            onSpan={(where) => showDecisions({ where })}
            onReplay={(span) => startReplay.mutate({ ...inputsOf(result), ...span })}
          />
        </Suspense>
        {startReplay.error && <ErrorNotice error={startReplay.error} />}
      </Card>
      <RulesTable fences={summary.fences} onFilter={(where) => showDecisions({ where })} />
      {summary.fences.some(({ rules }) => rules.some(({ throttle }) => throttle)) && (
        <Suspense fallback={null}>
          <ThrottleCard fences={summary.fences} onFilter={(where) => showDecisions({ where })} />
        </Suspense>
      )}
      {countries && <StoppedMap breakdown={countries} onFilter={(where) => showDecisions({ where })} />}
      {summary.breakdowns.length > 0 && (
        <BreakdownCard
          title="Breakdown"
          breakdowns={summary.breakdowns}
          onFilter={(where) => showDecisions({ where })}
        />
      )}
      <TrafficCard replayId={result.id} onFilter={(where) => showDecisions({ where })} />
      <RecordedCard replayId={result.id} onFilter={(where) => showDecisions({ where })} />
      <div ref={decisions}>
        <DecisionTable replayId={result.id} outcomes={summary.outcomes.map(({ outcome }) => outcome)} />
      </div>
      <p className="text-xs text-muted">
        Depends on {policyName(result)} ({result.snapshot.slice(0, 12)}), log {result.logSha256.slice(0, 12)},{' '}
        {result.countryTable
          ? `country table ${result.countryTable.name} ${result.countryTable.sha256.slice(0, 12)}`
          : 'no country table'}
        {result.categoryFeeds.map(({ name, sha256 }) => `, category feed ${name} ${sha256.slice(0, 12)}`)}
        {result.numCorrections > 0 && `, corrections: ${result.numCorrections}`}.
      </p>
    </>
  );
}

/** What starts the same replay once more. A folder of fences is not kept, so the draft takes its place. */
function inputsOf({ logId, gate, revision, held }: Replay): ReplayRequest {
  return { logId, held, against: revision ?? 'draft', ...(gate === null ? {} : { gate }) };
}

/** How many requests each outcome has; a number leads to its requests. */
function OutcomeTiles({ summary, onShow }: { summary: ReplayResult['summary']; onShow: (outcome: Outcome) => void }) {
  return (
    <dl className="mb-4 grid grid-cols-2 gap-3 sm:grid-cols-4">
      {summary.outcomes.map(({ outcome, requests, share }) => (
        <div key={outcome} className="rounded-xl border border-line bg-surface px-4 py-2 shadow-sm">
          <dt>
            <OutcomeLabel outcome={outcome} />
          </dt>
          <dd className="text-xl font-semibold tabular-nums">
            <button
              type="button"
              title={`Show the ${outcome} requests`}
              onClick={() => onShow(outcome)}
              className="underline-offset-4 hover:underline"
            >
              {formatCount(requests)}
            </button>{' '}
            <span className="text-sm font-normal text-muted">{formatShare(share)}</span>
          </dd>
        </div>
      ))}
      {summary.numRejected > 0 && (
        <div className="rounded-xl border border-line bg-surface px-4 py-2 shadow-sm">
          <dt className="font-medium text-muted">rejected lines</dt>
          <dd className="text-xl font-semibold tabular-nums">{formatCount(summary.numRejected)}</dd>
        </div>
      )}
    </dl>
  );
}
