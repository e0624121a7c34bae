import { useQueries, useQuery } from '@tanstack/react-query';
import type { Draft, Replay, ReplayResult } from '@jadefence/contract';
import { Link } from 'react-router';
import {
  auditQuery,
  categoriesQuery,
  countriesQuery,
  draftChangesQuery,
  draftQuery,
  replayResultQuery,
  replaysQuery,
} from '../../api/queries.js';
import { Card, PageHeading, WideTable } from '../../components/layout.js';
import { Loaded } from '../../components/loaded.js';
import { countOf, formatCount, formatMinute, formatShare } from '../../format.js';
import { describeDetail } from '../audit/describe-detail.js';
import { EffectCard } from '../evidence/effect-card.js';
import { FreshnessBadge } from '../reference/freshness-badge.js';
import { ChangeList } from '../../components/change-list.js';
import { FirstSteps } from './first-steps.js';
import { FindingsCard } from './findings-card.js';
import { StoppedCard } from './stopped-card.js';

const SHOWN_CHANGES = 6;
const SHOWN_ACTIVITY = 6;
/** Of so many logs the latest replays are read. */
const SHOWN_LOGS = 4;
const LINK = 'text-jade underline underline-offset-4 hover:text-jade-strong';

/** What waits, what is wrong, how old the reference data is, and what was done last. */
export function OverviewPage() {
  const draft = useQuery(draftQuery);
  const replays = useQuery(replaysQuery()).data ?? [];
  return (
    <>
      <PageHeading title="Overview" />
      <FirstSteps />
      <div className="grid items-start gap-x-4 lg:grid-cols-[3fr_2fr]">
        <div className="min-w-0">
          <UnpublishedCard />
          <EffectCard />
          <Loaded query={draft}>{(data) => <GatesCard draft={data} replays={latestOfLogs(replays)} />}</Loaded>
          <ActivityCard />
        </div>
        <div className="min-w-0">
          <StoppedCard />
          <FindingsCard />
          <ReplaysCard replays={replays} />
          <ReferenceCard />
        </div>
      </div>
    </>
  );
}

function UnpublishedCard() {
  const changes = useQuery(draftChangesQuery);
  return (
    <Card
      title="Unpublished changes"
      aside={
        <Link to="/revisions" className={`text-sm ${LINK}`}>
          Review and publish
        </Link>
      }
    >
      <div className="p-4 text-sm">
        <Loaded query={changes}>
          {({ changes: all, against }) =>
            all.length === 0 ? (
              <p className="text-muted">
                {against === null ? 'The draft is empty.' : `The draft is as revision ${against}.`}
              </p>
            ) : (
              <>
                <ChangeList changes={all.slice(0, SHOWN_CHANGES)} />
                {all.length > SHOWN_CHANGES && (
                  <p className="mt-2 text-muted">and {countOf(all.length - SHOWN_CHANGES, 'more change')}</p>
                )}
              </>
            )
          }
        </Loaded>
      </div>
    </Card>
  );
}

/** The latest replay of each log, of those that were replayed last. */
function latestOfLogs(replays: readonly Replay[]): readonly Replay[] {
  const done = replays.filter(({ state }) => state === 'done');
  return done.filter(({ logId }, at) => done.findIndex((one) => one.logId === logId) === at).slice(0, SHOWN_LOGS);
}

/** Each gate, and what was stopped there: of the latest replays the one with most requests of the gate. */
function GatesCard({ draft, replays }: { draft: Draft; replays: readonly Replay[] }) {
  const results = useQueries({ queries: replays.map(({ id }) => replayResultQuery(id)) }).flatMap(
    ({ data }) => data ?? [],
  );
  if (draft.gates.length === 0) return null;
  const modes = new Map(draft.fences.map(({ name, mode }) => [name, mode]));
  return (
    <Card title="Gates">
      <WideTable label="Gates">
        <thead className="text-muted">
          <tr className="border-b border-line">
            {['gate', 'fences', 'on trial', 'requests', 'stopped', 'by'].map((column, index) => (
              <th
                key={column}
                scope="col"
                className={`px-4 py-1.5 font-medium whitespace-nowrap ${index > 0 ? 'text-right' : ''}`}
              >
                {column}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {draft.gates.map(({ name, fences }) => (
            <tr key={name} className="border-b border-line last:border-b-0">
              <th scope="row" className="px-4 py-1.5 font-medium whitespace-nowrap">
                {name}
              </th>
              <td className="px-4 py-1.5 text-right">{fences.length}</td>
              <td className="px-4 py-1.5 text-right">
                {fences.filter((fence) => modes.get(fence) === 'trial').length}
              </td>
              <StoppedCells results={results} gate={name} />
            </tr>
          ))}
        </tbody>
      </WideTable>
    </Card>
  );
}

function StoppedCells({ results, gate }: { results: readonly ReplayResult[]; gate: string }) {
  const [found] = results
    .flatMap(({ id, logName, summary }) =>
      summary.gates.flatMap((tally) => (tally.gate === gate && tally.requests > 0 ? [{ id, logName, ...tally }] : [])),
    )
    .sort((a, b) => b.requests - a.requests);
  if (!found)
    return (
      <td colSpan={3} className="px-4 py-1.5 text-right text-muted">
        not replayed yet
      </td>
    );
  return (
    <>
      <td className="px-4 py-1.5 text-right">{formatCount(found.requests)}</td>
      <td className="px-4 py-1.5 text-right whitespace-nowrap">
        {formatCount(found.stopped)} ({formatShare(found.stopped / found.requests)})
      </td>
      <td className="px-4 py-1.5 text-right whitespace-nowrap">
        <Link to={`/replays/${found.id}`} title={found.logName} className={LINK}>
          replay {found.id}
        </Link>
      </td>
    </>
  );
}

function ReferenceCard() {
  const countries = useQuery(countriesQuery(undefined)).data;
  const categories = useQuery(categoriesQuery).data;
  return (
    <Card title="Reference data">
      <dl className="grid gap-2 p-4 text-sm">
        <div className="flex flex-wrap items-baseline gap-x-3">
          <dt>
            <Link to="/countries" className={LINK}>
              Country table
            </Link>
          </dt>
          <dd>
            {countries?.table ? countries.table.name : countries && 'none'}{' '}
            {countries && <FreshnessBadge freshness={countries.freshness} />}
          </dd>
        </div>
        {categories?.feeds.map(({ name, freshness }) => (
          <div key={name} className="flex flex-wrap items-baseline gap-x-3">
            <dt>
              <Link to="/categories" className={LINK}>
                Category feed
              </Link>
            </dt>
            <dd>
              {name} <FreshnessBadge freshness={freshness} />
            </dd>
          </div>
        ))}
        {categories?.feeds.length === 0 && (
          <div className="flex gap-x-3">
            <dt>
              <Link to="/categories" className={LINK}>
                Category feeds
              </Link>
            </dt>
            <dd className="text-muted">none</dd>
          </div>
        )}
      </dl>
    </Card>
  );
}

function ReplaysCard({ replays }: { replays: readonly Replay[] }) {
  const running = replays.filter(({ state }) => state === 'waiting' || state === 'running');
  if (running.length === 0) return null;
  return (
    <Card title="Replays under way">
      <ul className="grid gap-2 p-4 text-sm">
        {running.map(({ id, logName, requestsDone, requests }) => (
          <li key={id}>
            <Link to={`/replays/${id}`} className={LINK}>
              Replay {id}: {logName}
            </Link>{' '}
            <span className="text-muted">
              {formatCount(requestsDone)} of {countOf(requests, 'request')}
            </span>
          </li>
        ))}
      </ul>
    </Card>
  );
}

function ActivityCard() {
  const audit = useQuery({ ...auditQuery(0, SHOWN_ACTIVITY), retry: false });
  return (
    <Card
      title="Latest activity"
      aside={
        <Link to="/audit" className={`text-sm ${LINK}`}>
          Audit trail
        </Link>
      }
    >
      <Loaded query={audit}>
        {({ entries }) => (
          <ul className="grid gap-1 p-4 text-sm">
            {entries.map(({ id, at, user, what, detail }) => (
              <li key={id} className="flex gap-3">
                <span className="shrink-0 text-muted tabular-nums">{formatMinute(at)}</span>
                <span className="min-w-0 truncate">
                  {user ?? 'the service'}: <span className="font-mono">{what}</span>{' '}
                  <span className="text-muted">{describeDetail(detail)}</span>
                </span>
              </li>
            ))}
          </ul>
        )}
      </Loaded>
    </Card>
  );
}
